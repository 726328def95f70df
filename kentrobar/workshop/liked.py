"""What a player turned out to like, remembered with them: the next frame starts from it."""

from __future__ import annotations

from typing import Any

from kentrobar.core.court.search import NOTICED, Standing
from kentrobar.core.court.space import FIGURES
from kentrobar.core.quantities import FIGURES as ALL
from kentrobar.core.reader import fixed
from kentrobar.core.words.amounts import change_of
from kentrobar.frames.models import Frame
from kentrobar.ui.request import Request

from .models import SetupSearch

LIKELY = 0.7
"""Probability of the region that is remembered for the set-up liked most."""
WORDS = {
    "mass_g": ("lighter", "heavier"), "balance_mm": ("head lighter", "head heavier"),
    "swing_kgcm2": ("quicker", "more plough"), "twist_kgcm2": ("livelier", "steadier"),
}  # fmt: skip


def ranges(row: SetupSearch, now: Standing) -> dict[str, tuple[float, float]]:
    """(least, most) change of each figure among the likeliest set-ups."""
    region = now.region
    order = sorted(range(len(region)), key=lambda one: -float(region[one]))
    kept, held = [], 0.0
    for one in order:
        kept.append(one)
        held += float(region[one])
        if held >= LIKELY:
            break
    places = row.places()[kept]
    return {
        name: (
            round(float(places[:, i].min()) * NOTICED[name], 2),
            round(float(places[:, i].max()) * NOTICED[name], 2),
        )
        for i, name in enumerate(FIGURES)
    }


def words(found: dict[str, Any]) -> str:
    """`swing weight +4 to +9 kg·cm², steadier`; '' where nothing is known."""
    said = []
    for name, (less, more) in WORDS.items():
        if name not in found:
            continue
        low, high = found[name]
        if low <= 0 <= high:
            continue
        if name in ("swing_kgcm2", "mass_g"):
            least, most = change_of(name, low).number(1), change_of(name, high).told(1)
            said.append(f"{ALL[name].label} {least} to {most}")
        else:
            said.append(more if low > 0 else less)
    return ", ".join(said)


def words_of(row: SetupSearch, now: Standing) -> str:
    return words(ranges(row, now)) if now.verdict == "better" else ""


def remember(row: SetupSearch, now: Standing) -> None:
    """Keep it with the player, where it was found out."""
    player = row.frame.player
    if player is not None and now.verdict == "better":
        player.likes = (player.likes or {}) | {
            row.frame.kind: ranges(row, now) | {"best": _best(row, now)}
        }
        player.save(update_fields=["likes"])


def of_frame(frame: Frame) -> str:
    """What the player of a frame likes of its kind, in words."""
    if frame.player is None:
        return ""
    return words(frame.player.liked(frame.kind))


def shown(request: Request, frame: Frame) -> dict[str, Any] | None:
    """For the pages that look for recipes: nothing where nothing is known."""
    said = of_frame(frame)
    return {"frame": frame, "likes": said, "wish": wish_of(frame)} if said else None


def wish_of(frame: Frame) -> str:
    """The same as a wish in words, for the box of Recipes: as the set-up liked most was."""
    best = frame.player.liked(frame.kind).get("best", {}) if frame.player else {}
    said = [
        f"{ALL[name].label} {fixed(best[name], 1, True)}"
        for name in ("swing_kgcm2", "twist_kgcm2")
        if abs(best.get(name, 0.0)) >= NOTICED[name] / 5
    ]
    return ", ".join(said)


def _best(row: SetupSearch, now: Standing) -> dict[str, float]:
    place = row.places()[now.best]
    return {name: round(float(place[i]) * NOTICED[name], 2) for i, name in enumerate(FIGURES)}
