"""How a player is spoken to: on cards, on court, on paper that goes home with them."""

from __future__ import annotations

from kentrobar.frames.models import Person
from kentrobar.shop.models import remembered


def language_of(player: Person | None) -> str:
    """Their own language, or the shop's."""
    return (player.language if player else "") or remembered().language
