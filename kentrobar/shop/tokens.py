"""Tokens: by one of them a program speaks to the shop, and does what its kind may.

Only a digest is kept, so that a backup lets nobody in. A token acts as the person who made it,
within that person's role, and ends with their account.
"""

from __future__ import annotations

import hashlib
import secrets
from datetime import timedelta

from django.conf import settings
from django.db import models
from django.db.models import Q
from django.http import HttpRequest
from django.utils import timezone

MARK = "kb_"
"""Prefix of a token, so that a leaked one is recognized."""
USED_EVERY = timedelta(minutes=5)


class Token(models.Model):
    """A key to the shop for one program."""

    is_beside = True

    class May(models.TextChoices):
        READ = "read", "read"
        WRITE = "write", "read and write"
        BRIDGE = "bridge", "send what instruments say"

    name = models.CharField(max_length=40, help_text="of the program or machine")
    digest = models.CharField(max_length=64, unique=True, editable=False)
    may = models.CharField(max_length=6, choices=May, default=May.READ)
    user = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="tokens"
    )
    made_at = models.DateTimeField(default=timezone.now)
    used_at = models.DateTimeField(null=True, blank=True)
    ended_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-made_at"]
        constraints = [
            models.UniqueConstraint(
                fields=["name"], condition=Q(ended_at=None), name="one_token_a_name"
            )
        ]

    def __str__(self) -> str:
        return self.name

    def renew(self) -> str:
        """A new word for it, which is told once and not kept."""
        word = MARK + secrets.token_urlsafe(32)
        self.digest = _digest(word)
        return word


def _digest(word: str) -> str:
    return hashlib.sha256(word.encode()).hexdigest()


def asked_with(request: HttpRequest, *may: Token.May) -> Token | None:
    """The token a request carries as ``Authorization: Bearer``, if it may do one of these."""
    kind, _, word = request.headers.get("Authorization", "").partition(" ")
    if kind.lower() != "bearer" or not word.startswith(MARK) or len(word) > 100:
        return None
    found: Token | None = (
        Token.objects.select_related("user", "user__member", "user__preferences")
        .filter(digest=_digest(word), ended_at=None, may__in=may, user__is_active=True)
        .first()
    )
    now = timezone.now()
    if found is not None and (found.used_at is None or now - found.used_at > USED_EVERY):
        Token.objects.filter(pk=found.pk).update(used_at=now)
    return found
