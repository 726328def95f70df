"""What a frame of this shape usually reads: to say beforehand what a method will do, and to stand
in, marked as such, for a figure nobody has read yet.
"""

from __future__ import annotations

from collections.abc import Mapping

from kentrobar.core.geometry.kinds import kind_of
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.numbers import Number, nominal, ufloat, uncertainty
from kentrobar.core.pieces.body import KGCM2
from kentrobar.core.quantities import READ

from .predict import Measured


def typical(outline: Outline, known: Mapping[str, Number], axis_mm: float) -> Measured:
    """Figures of this frame: what is known, and for the rest what is usual with a wide uncertainty.

    Args:
        known: any of ``mass_g``, ``balance_mm``, ``swing_kgcm2`` (about ``axis_mm``),
            ``twist_kgcm2``.
    """
    (mass, u_mass), (share, u_share), (gyration, u_gyration), (breadth, u_breadth) = kind_of(
        outline
    ).usual
    length = outline.length_mm
    m = known.get("mass_g", ufloat(mass, u_mass, "mass"))
    b = known.get("balance_mm", ufloat(share * length, u_share * length, "balance"))
    k = ufloat(gyration * length, u_gyration * length, "gyration")
    swing = m * (k * k + (b - axis_mm) ** 2) / KGCM2
    if "swing_kgcm2" in known:
        if "balance_mm" not in known:
            # A heavier swing than usual is partly a balance farther out: the linear (Kalman)
            # update of what is usual by what was read.
            b = b + _gain(m, b, axis_mm, swing, known["swing_kgcm2"]) * (
                known["swing_kgcm2"] - swing
            )
        swing = known["swing_kgcm2"]
    y = ufloat(breadth * outline.width_mm, u_breadth * outline.width_mm, "breadth")
    return Measured(
        mass_g=m,
        balance_mm=b,
        swing_kgcm2=swing,
        axis_mm=axis_mm,
        twist_kgcm2=known.get("twist_kgcm2", m * y * y / KGCM2),
        assumed=tuple(name for name in READ if name not in known),
    )


def usual_twist(measured: Measured, outline: Outline) -> float:
    """The twist weight such a frame usually has, kg·cm², where nobody read it."""
    like = typical(outline, {"mass_g": measured.mass_g}, measured.axis_mm)
    return nominal(like.twist_kgcm2 or 0.0)


def _gain(m: Number, b: Number, axis_mm: float, usual: Number, read: Number) -> float:
    """mm of balance for each kg·cm² the swing weight was read above the usual."""
    slope = 2 * nominal(m) * (nominal(b) - axis_mm) / KGCM2
    spread = (uncertainty(usual) or 0.0) ** 2 + (uncertainty(read) or 0.0) ** 2
    return slope * (uncertainty(b) or 0.0) ** 2 / spread
