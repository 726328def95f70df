"""Undo: what is removed only disappears from sight, and every message about it carries the way
back.

``Removable`` is one timestamp with two verbs. A view removes and says so with ``offer``; the
message bears the address that takes it back, and ``/removed/`` lists what was removed lately for
whoever missed the message.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime, timedelta
from typing import Any, Self

from django.apps import apps
from django.contrib import messages
from django.db import models
from django.urls import reverse
from django.utils import timezone

from kentrobar.ui.request import Request

LISTED_FOR = timedelta(days=90)
"""How long the list of what was removed goes back; nothing is lost after it."""
MOST_LISTED = 200
MARK = "undo:"


class Present(models.Manager[Any]):
    """Rows that were not removed."""

    def get_queryset(self) -> models.QuerySet[Any]:
        return super().get_queryset().filter(removed_at=None)


class Removable(models.Model):
    """Something that can be taken out of sight and put back.

    ``removed_word`` is what the page calls it: `Deleted`, `Archived`.
    """

    removed_word = "Deleted"
    removed_at = models.DateTimeField(null=True, blank=True, db_index=False)

    class Meta:
        abstract = True

    def get_absolute_url(self) -> str:
        """Where it is seen once it is back; the list of what was removed, for what has no page."""
        return reverse("removed")

    def remove(self) -> None:
        self._set_removed(timezone.now())

    def restore(self) -> None:
        self._set_removed(None)

    @property
    def can_be_restored(self) -> bool:
        """Whether what it belongs to is still there."""
        return True

    @property
    def undo_address(self) -> str:
        return reverse("restore", args=[self._meta.label_lower, self.pk])

    def _set_removed(self, when: datetime | None) -> None:
        type(self)._base_manager.filter(pk=self.pk).update(removed_at=when)
        self.removed_at = when

    @classmethod
    def removed_lately(cls) -> models.QuerySet[Self]:
        since = timezone.now() - LISTED_FOR
        return cls._base_manager.filter(removed_at__gte=since).order_by("-removed_at")[:MOST_LISTED]


def removables() -> Iterator[type[Removable]]:
    """Every kind of thing that can be removed."""
    return (model for model in apps.get_models() if issubclass(model, Removable))


def removed_lately() -> list[Removable]:
    """What was removed lately and can be put back, the newest first."""
    found = [one for model in removables() for one in model.removed_lately() if one.can_be_restored]
    return sorted(found, key=lambda one: one.removed_at or timezone.now(), reverse=True)[
        :MOST_LISTED
    ]


def offer(request: Request, text: str, address: str) -> None:
    """Say what was done; the message's button posts to ``address`` and takes it back."""
    messages.success(request, text, extra_tags=f"{MARK}{address}")


def remove(request: Request, one: Removable, text: str) -> None:
    """Remove something and offer the way back."""
    one.remove()
    offer(request, f"{one.removed_word} {text}.", one.undo_address)


def address_of(message: Any) -> str:
    """The address a message carries; '' where there is nothing to take back."""
    tags = message.extra_tags or ""
    return tags.removeprefix(MARK) if tags.startswith(MARK) else ""
