"""Roles as they travel with a whole workshop."""

from __future__ import annotations

from django.contrib.auth.models import User

from .models import Member, Role, role_of


def of(user: User) -> str:
    return role_of(user).value


def give(user: User, role: str) -> None:
    """The role somebody had elsewhere; whoever has one here keeps it."""
    if role in Role.values:
        Member.objects.get_or_create(user=user, defaults={"role": role})
