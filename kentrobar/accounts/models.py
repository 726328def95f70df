"""People who work here: what each may do, how they were let in, and where they are signed in."""

from __future__ import annotations

import secrets
from datetime import datetime, timedelta

from django.conf import settings
from django.contrib.auth.models import AnonymousUser, User
from django.db import models
from django.db.models import Q
from django.utils import timezone

INVITATION_LASTS = timedelta(days=7)


class Role(models.TextChoices):
    """What somebody may do. Each is a row of the table in ``site/access.py``."""

    OWNER = "owner", "owner"
    BENCH = "bench", "bench"
    COUNTER = "counter", "counter"
    GUEST = "guest", "guest"


ABOUT = {
    Role.OWNER: "everything, people and settings too",
    Role.BENCH: "all work",
    Role.COUNTER: "check-in, people and hand-over; figures to look at",
    Role.GUEST: "to look at only",
}
"""What a role may do, in a few words."""


class Member(models.Model):
    """The role of one account."""

    user = models.OneToOneField(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, primary_key=True, related_name="member"
    )
    role = models.CharField(max_length=8, choices=Role, default=Role.GUEST)

    def __str__(self) -> str:
        return f"{self.user}: {self.role}"


def role_of(user: User | AnonymousUser) -> Role:
    """An account nobody gave a role to may look and no more."""
    found: Member | None = getattr(user, "member", None)
    return Role(found.role) if found else Role.GUEST


def called(user: User) -> str:
    """What a person of the shop is called on a page."""
    return user.first_name or user.get_username()


def _token() -> str:
    return secrets.token_urlsafe(24)


class Invitation(models.Model):
    """A link that lets one person in once: to make an account, or to set a new password for the
    one they have."""

    token = models.CharField(max_length=43, unique=True, default=_token)
    role = models.CharField(max_length=8, choices=Role, default=Role.BENCH)
    user = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, null=True, blank=True,
        related_name="resets", help_text="whose password it sets; nobody’s where it invites",
    )  # fmt: skip
    note = models.CharField("for whom", max_length=60, blank=True)
    made_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+"
    )
    made_at = models.DateTimeField(default=timezone.now)
    used_at = models.DateTimeField(null=True, blank=True)
    revoked_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-made_at"]

    def __str__(self) -> str:
        return self.note or self.get_role_display()

    @property
    def ends_at(self) -> datetime:
        return self.made_at + INVITATION_LASTS

    @property
    def is_open(self) -> bool:
        return not self.used_at and not self.revoked_at and timezone.now() < self.ends_at

    @classmethod
    def waiting(cls) -> models.QuerySet[Invitation]:
        """Those that still let somebody in."""
        since = timezone.now() - INVITATION_LASTS
        return cls.objects.filter(
            Q(used_at=None) & Q(revoked_at=None) & Q(made_at__gt=since)
        ).select_related("user", "made_by")


class SecondStep(models.Model):
    """The secret somebody's phone makes codes from, where they want one asked at sign-in."""

    user = models.OneToOneField(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, primary_key=True,
        related_name="second_step",
    )  # fmt: skip
    secret = models.CharField(max_length=64)
    last_step = models.BigIntegerField(
        default=0, help_text="the half minute of the last code: none works twice"
    )
    since = models.DateTimeField(default=timezone.now)

    def __str__(self) -> str:
        return f"{self.user}, since {self.since:%Y-%m-%d}"


class SignedIn(models.Model):
    """One place somebody is signed in at: a browser, by its session."""

    user = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="signed_in"
    )
    session_key = models.CharField(max_length=40, unique=True)
    since = models.DateTimeField(default=timezone.now)
    seen_at = models.DateTimeField(default=timezone.now)
    address = models.GenericIPAddressField(null=True)
    device = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["-seen_at"]
        verbose_name_plural = "signed in"

    def __str__(self) -> str:
        return f"{self.user} at {self.address}"


class Tries(models.Model):
    """Tries at a password or code that still count against an address, an account or a browser."""

    key = models.CharField(max_length=64, unique=True, help_text="a digest: names are not kept")
    made = models.FloatField(default=0)
    at = models.DateTimeField(default=timezone.now)

    class Meta:
        verbose_name_plural = "tries"

    def __str__(self) -> str:
        return f"{self.made:.1f} at {self.at:%Y-%m-%d %H:%M}"
