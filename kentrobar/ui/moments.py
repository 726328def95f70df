"""Days and times as people may mean them: what was done lies between 1970 and tomorrow, what is
promised within ten years, by the shop's clock."""

from __future__ import annotations

from datetime import date, datetime, timedelta

from django.core.exceptions import ValidationError
from django.utils import timezone
from django.utils.dateparse import parse_datetime

EARLIEST = date(1970, 1, 1)
FURTHEST = timedelta(days=3660)


def done_at(when: datetime | date) -> None:
    """Raises ValidationError for what cannot have been done then."""
    day = when.date() if isinstance(when, datetime) else when
    # Tomorrow: a clock a little ahead, a zone to the east.
    if not EARLIEST < day <= timezone.localdate() + timedelta(days=1):
        raise ValidationError(
            f"{day:%Y-%m-%d} is not between 1970 and tomorrow: write the day it was done.", "when"
        )


def promised_for(when: datetime | date) -> None:
    """Raises ValidationError for what nobody promises."""
    day = when.date() if isinstance(when, datetime) else when
    if not EARLIEST < day <= timezone.localdate() + FURTHEST:
        raise ValidationError(f"{day:%Y-%m-%d} is more than ten years away.", "when")


def read_moment(text: str) -> datetime | None:
    """A day and time as typed, by the shop's clock; None where it is none, or far away."""
    try:
        found = parse_datetime(text)
        if found is None:
            return None
        promised_for(found)
        return timezone.make_aware(found) if timezone.is_naive(found) else found
    except (ValueError, OverflowError, ValidationError):
        return None
