"""Materials a bench starts from, until it has weighed its own. Tape is grams per mm of one
strip; grams and prices are our own guess of what is commonly sold."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class KnownMaterial:
    """``toxicity`` runs from 0 to 1, which is lead."""

    name: str
    g_per_mm: float
    price_per_g: float = 0.0
    toxicity: float = 0.0


TAPES = (
    KnownMaterial("lead-free tape, 6 mm", 0.0098, 0.45),
    KnownMaterial("tungsten tape, 12 mm", 0.0236, 0.90, 0.05),
    KnownMaterial("copper tape, 6 mm", 0.0049, 0.30, 0.05),
    KnownMaterial("lead tape, 6 mm", 0.0104, 0.20, 1.0),
    KnownMaterial("lead tape, 12 mm", 0.0210, 0.18, 1.0),
)
PUTTY_PRICE_PER_G = 0.05
HANDLE = ("putty", "silicone", "lead-free tape, 6 mm", "lead tape, 6 mm", "cotton")
BY_NAME = {material.name: material for material in TAPES}


SET_IN = ("putty", "silicone", "cotton")
"""What fills a cavity, by what its name holds."""


def is_set_in(name: str | None) -> bool:
    """Whether a material is pressed or poured into a cavity; so is what has no name."""
    return not name or any(one in name.lower() for one in SET_IN)


def is_lead(name: str | None) -> bool:
    """Whether a material's name says lead (and not that it is free of it)."""
    low = (name or "").lower()
    return "lead" in low.replace("lead-free", "").replace("lead free", "")
