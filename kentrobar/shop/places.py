"""Where a shop may be: time zones by their places, and what a place tells of itself."""

from __future__ import annotations

import re
from functools import cache
from importlib.resources import files
from pathlib import Path
from zoneinfo import available_timezones

from django.core.exceptions import ValidationError

OTHER_NAMES = ("Etc/", "SystemV/", "US/", "Brazil/", "Canada/", "Chile/", "Mexico/", "posix/")
"""Zones under an older or a political name; each has one by its place as well."""
LATITUDE = re.compile(r"([+-])(\d\d)(\d\d)")


@cache
def zones() -> tuple[str, ...]:
    """Time zones by place, `Region/Town`, and UTC first."""
    places = (name for name in available_timezones() if "/" in name)
    return ("UTC", *sorted(name for name in places if not name.startswith(OTHER_NAMES)))


def check_zone(name: str) -> None:
    """Raises ValidationError for what is no time zone."""
    if name not in available_timezones():
        raise ValidationError(f"“{name}” is no time zone: choose one of the list.")


def machine_zone() -> str:
    """The time zone this machine is set to; UTC where it says none that is known."""
    told = Path("/etc/timezone")
    name = told.read_text().strip() if told.is_file() else ""
    if not name:
        _, _, name = str(Path("/etc/localtime").resolve()).partition("zoneinfo/")
    return name if name in zones() else "UTC"


@cache
def _latitudes() -> dict[str, float]:
    """Of each zone: the latitude of the town it is named by, in degrees."""
    table = files("tzdata.zoneinfo").joinpath("zone.tab").read_text()
    found = {}
    for line in table.splitlines():
        parts = line.split("\t")
        if not line.startswith("#") and len(parts) > 2 and (at := LATITUDE.match(parts[1])):
            degrees = int(at[2]) + int(at[3]) / 60
            found[parts[2]] = round(-degrees if at[1] == "-" else degrees, 1)
    return found


def latitude_of(zone: str) -> float | None:
    """Roughly how far north a time zone lies, in degrees; None where that says nothing."""
    return _latitudes().get(zone)
