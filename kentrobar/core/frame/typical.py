"""What a frame of this shape usually reads: to say beforehand what a method will do, and to stand
in, marked as such, for a figure nobody has read yet.
"""

from __future__ import annotations

from collections.abc import Mapping

from kentrobar.core.geometry.kinds import kind_of
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.numbers import Number, ufloat
from kentrobar.core.pieces.body import KGCM2

from .predict import Measured


def typical(outline: Outline, known: Mapping[str, Number], axis_mm: float) -> Measured:
    """Figures of this frame: what is known, and for the rest what is usual with a wide uncertainty.

    Args:
        known: any of ``mass_g``, ``balance_mm``, ``swing_kgcm2`` (about ``axis_mm``),
            ``twist_kgcm2``.
    """
    (mass, u_mass), (share, u_share), (gyration, u_gyration), (twist, u_twist) = kind_of(
        outline
    ).usual
    length = outline.length_mm
    m = known.get("mass_g", ufloat(mass, u_mass, "mass"))
    b = known.get("balance_mm", ufloat(share * length, u_share * length, "balance"))
    if "swing_kgcm2" in known:
        swing = known["swing_kgcm2"]
    else:
        k = ufloat(gyration * length, u_gyration * length, "gyration")
        swing = m * (k * k + (b - axis_mm) ** 2) / KGCM2
    return Measured(
        mass_g=m,
        balance_mm=b,
        swing_kgcm2=swing,
        axis_mm=axis_mm,
        twist_kgcm2=known.get("twist_kgcm2", ufloat(twist, u_twist, "twist")),
    )
