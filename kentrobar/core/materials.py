"""Materials a bench starts from, until it has weighed its own. Tape is grams per mm of one strip."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Material:
    name: str
    g_per_mm: float


TAPES = (
    Material("lead-free tape, 6 mm", 0.0098),
    Material("tungsten tape, 12 mm", 0.0236),
    Material("copper tape, 6 mm", 0.0049),
    Material("lead tape, 6 mm", 0.0104),
    Material("lead tape, 12 mm", 0.0210),
)
HANDLE = ("putty", "silicone", "lead-free tape, 6 mm", "lead tape, 6 mm", "cotton")
BY_NAME = {material.name: material for material in TAPES}


def is_lead(name: str | None) -> bool:
    """Whether a material's name says lead (and not that it is free of it)."""
    low = (name or "").lower()
    return "lead" in low.replace("lead-free", "").replace("lead free", "")
