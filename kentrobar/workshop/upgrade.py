"""``kentrobar-workshop/1`` files, and those of ``/2`` from before the grommet holes stood with
their frames, as today's tables read them.

The first version had the settings among the recipes and people in the workshop, called the time of
a removal by three names, wrote a frame's player as a name, and left it to equal times what took a
part's place, which figures one measurement gave, and which sheet counts another's pieces.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

FIRST_FORMAT = "kentrobar-workshop/1"
MODELS = {"recipes.workshop": "shop.settings", "workshop.person": "frames.person"}
FIELDS = {
    "frames.frame": "deleted_at",
    "frames.reading": "withdrawn_at",
    "frames.historicalreading": "withdrawn_at",
    "measuring.instrument": "retired_at",
    "stock.material": "retired_at",
    "planning.plan": "deleted_at",
    "recipes.match": "deleted_at",
    "workshop.job": "deleted_at",
}
"""What ``removed_at`` was called."""

HOLES = "workshop.grommets"
Row = dict[str, Any]


def with_holes(rows: Iterable[Row]) -> list[Row]:
    """The grommet holes, which had a table of their own, written on their frames."""
    own = [dict(row) for row in rows]
    holes = {row["pk"]: row["fields"] for row in own if row["model"] == HOLES}
    for row in own:
        if row["model"] == "frames.frame" and row["pk"] in holes:
            row["fields"] |= {"holes_mm": sorted(set(holes[row["pk"]]["arcs_mm"]))}
    return [row for row in own if row["model"] != HOLES]


def with_foam(rows: Iterable[Row]) -> list[Row]:
    """Whether a handle is filled with foam, which stood with what is wished of its sites."""
    own = [dict(row) for row in rows]
    filled = {
        row["pk"]
        for row in own
        if row["model"] == "recipes.limits" and row["fields"]["content"].pop("is_foam", False)
    }
    for row in own:
        if row["model"] == "frames.frame" and row["pk"] in filled:
            row["fields"] |= {"is_foam": True}
    return own


def upgraded(rows: Iterable[Row]) -> Iterator[Row]:
    """The same rows for today's tables, those that others point to first."""
    old = [dict(row) | {"model": MODELS.get(row["model"], row["model"])} for row in rows]
    people = [row for row in old if row["model"] == "frames.person"]
    by_name = {row["fields"]["name"]: row["pk"] for row in people}
    players = list(_new_people(old, by_name))
    for row in old:
        fields = row["fields"]
        if (was := FIELDS.get(row["model"])) and was in fields:
            fields["removed_at"] = fields.pop(was)
        if row["model"] == "frames.frame":
            fields["player"] = by_name.get(_name(fields.pop("owner", "")))
    _link_parts([row for row in old if row["model"] == "frames.fittedpart"])
    _link_readings([row for row in old if row["model"] == "frames.reading"])
    _link_sheets(old)
    yield from (*people, *players)
    yield from (row for row in old if row["model"] != "frames.person")


def _name(text: str) -> str:
    return " ".join(text.split())[:60]


def _new_people(old: list[Row], by_name: dict[str, int]) -> Iterator[Row]:
    """People who were only written on their frames; ``by_name`` learns them."""
    number = max(by_name.values(), default=0)
    for row in old:
        name = _name(row["fields"].get("owner", "")) if row["model"] == "frames.frame" else ""
        if name and name not in by_name:
            number += 1
            by_name[name] = number
            yield {"model": "frames.person", "pk": number, "fields": {"name": name}}


def _link_parts(parts: list[Row]) -> None:
    put_on = {
        (row["fields"]["frame"], row["fields"]["put_on_at"]): row["pk"]
        for row in reversed(parts)
        if row["fields"]["put_on_at"]
    }
    for row in parts:
        off = (row["fields"]["frame"], row["fields"]["taken_off_at"])
        row["fields"]["replaced_by"] = put_on.get(off) if off[1] else None


def _link_readings(readings: list[Row]) -> None:
    first: dict[tuple[Any, Any], int] = {}
    for row in readings:
        fields = row["fields"]
        if fields["method"] == "two-scales":
            key = (fields["frame"], fields["read_at"])
            fields["measured_with"] = first.get(key)
            first.setdefault(key, row["pk"])


def _link_sheets(old: list[Row]) -> None:
    frames = {row["pk"]: row["fields"]["frame"] for row in old if row["model"] == "planning.plan"}
    sheets = [row for row in old if row["model"] == "workshop.sheet"]
    signed = {
        (frames[row["fields"]["plan"]], row["fields"]["signed_off_at"]): row["pk"]
        for row in sheets
        if row["fields"]["signed_off_at"]
    }
    for row in sheets:
        off = (frames[row["fields"]["plan"]], row["fields"]["taken_off_at"])
        row["fields"]["counted_with"] = signed.get(off) if off[1] else None
