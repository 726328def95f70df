"""What a shelf begins with, until the workshop writes down its own."""

from __future__ import annotations

from typing import Any

from kentrobar.core.pieces.materials import PUTTY_PRICE_PER_G, TAPES

WIDTHS = {"6 mm": 6.0, "12 mm": 12.0}
ROLL_MM = 10_000.0
DENSITIES = {"lead-free": 7.9, "tungsten": 11.0, "copper": 8.9, "lead tape": 11.3}
OTHERS: tuple[dict[str, Any], ...] = (
    {
        "name": "putty",
        "kind": "putty",
        "price": round(PUTTY_PRICE_PER_G * 100, 2),
        "pack": 100.0,
        "density": 1.9,
    },
    {
        "name": "silicone",
        "kind": "silicone",
        "price": 6,
        "pack": 80.0,
        "density": 1.1,
        "cure_hours": 24,
    },
    {"name": "cotton", "kind": "cotton", "price": 2, "pack": 50.0},
    {"name": "overgrip", "kind": "overgrip", "each_g": 5.5, "price": 2, "pack": 1.0},
    {"name": "synthetic grip", "kind": "grip", "each_g": 17.5, "price": 8, "pack": 1.0},
    {"name": "leather grip", "kind": "grip", "each_g": 27.0, "price": 24, "pack": 1.0},
    {
        "name": "clip-on module, 3 g",
        "kind": "module",
        "each_g": 3.0,
        "price": 9,
        "pack": 4.0,
        "test_only": True,
    },
)


def seed(material: Any) -> None:
    """Put the usual materials on an empty shelf. ``material`` is the model, as it is or as it
    was."""
    if material.objects.exists():
        return
    for tape in TAPES:
        width = next(mm for words, mm in WIDTHS.items() if tape.name.endswith(words))
        material.objects.create(
            name=tape.name,
            kind="tape",
            width_mm=width,
            maker_g_per_mm=tape.g_per_mm,
            toxicity=tape.toxicity,
            density=next(d for words, d in DENSITIES.items() if tape.name.startswith(words)),
            price=round(tape.price_per_g * tape.g_per_mm * ROLL_MM, 2),
            pack=ROLL_MM,
        )
    for values in OTHERS:
        material.objects.create(**values)
