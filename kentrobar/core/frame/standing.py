"""How a frame's figures stand among such frames: in words, and as a place on a scale.

The shop's own frames come first, as far as there are enough; else what is typical of the kind,
which is our own guess (``kinds``, ``typical``).
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from statistics import NormalDist

from kentrobar.core.geometry.kinds import kind_of
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.numbers import Number, nominal, uncertainty
from kentrobar.core.pieces.body import Body
from kentrobar.core.quantities import plain_figures
from kentrobar.core.words import Message, message

from .typical import typical

OWN_FRAMES = 8
"""Own frames from which they tell where a figure stands."""
HEAD_LIGHTER_MM_PER_G = 0.3
"""How much nearer to the butt a heavier frame is usually balanced: our own guess."""
WORDS = ((0.02, "very low"), (0.2, "low"), (0.8, "usual"), (0.98, "high"), (1.0, "very high"))
BALANCE_WORDS = (
    (0.02, "very head-light"), (0.2, "head-light"), (0.8, "usual"), (0.98, "head-heavy"),
    (1.0, "very head-heavy"),
)  # fmt: skip
DEMANDING = 0.8
"""Share of frames above which a swing weight or mass asks for a strong player."""


@dataclass(frozen=True, slots=True)
class Standing:
    """Where a figure stands: ``share`` of such frames that lie below it, 0…1."""

    figure: str
    share: float
    message: Message

    @property
    def is_demanding(self) -> bool:
        return self.figure in ("mass_g", "swing_kgcm2") and self.share > DEMANDING


def standing(
    outline: Outline, body: Body, axis_mm: float, own: Mapping[str, Sequence[float]] | None = None
) -> list[Standing]:
    """Where mass, balance, swing weight and, if known, twist weight stand.

    Args:
        body: without uncertainties. own: figures of the shop's own frames of the kind, swing
            weights about ``axis_mm``.
    """
    figures = plain_figures(body, axis_mm)
    return [
        _told(outline, name, figures[name], mean, u, (own or {}).get(name, ()))
        for name, (mean, u) in _typical(outline, body, axis_mm)
        if name != "twist_kgcm2" or body.twist
    ]


def _typical(
    outline: Outline, body: Body, axis_mm: float
) -> Iterator[tuple[str, tuple[float, float]]]:
    """The middle and one standard deviation of each figure; the balance and the swing weight of
    frames of this mass."""
    kind = kind_of(outline)
    (mass, u_mass), (share, u_share) = kind.usual[:2]
    yield "mass_g", (mass, u_mass)
    at = share * outline.length_mm - HEAD_LIGHTER_MM_PER_G * (body.mass - mass)
    yield "balance_mm", (at, u_share * outline.length_mm)
    of_mass = typical(outline, {"mass_g": body.mass}, axis_mm)
    yield "swing_kgcm2", _normal(of_mass.swing_kgcm2)
    yield "twist_kgcm2", _normal(of_mass.twist_kgcm2 or 1.0)


def _normal(value: Number) -> tuple[float, float]:
    return nominal(value), uncertainty(value) or 1.0


def _told(
    outline: Outline, name: str, value: float, mean: float, u: float, own: Sequence[float]
) -> Standing:
    kind = kind_of(outline)
    is_own = len(own) >= OWN_FRAMES
    below = sum(one < value for one in own)
    share = below / len(own) if is_own else NormalDist(mean, u).cdf(value)
    words = BALANCE_WORDS if name == "balance_mm" else WORDS
    word = next(text for most, text in words if share <= most)
    if is_own:
        said = message(
            "stands-own", figure=name, word=word, below=below, count=len(own), kinds=kind.plural
        )
    elif name == "mass_g" and share > WORDS[-2][0]:
        said = message("stands-super", value=value, kind=kind.label)
    else:
        low, high = mean - 1.28 * u, mean + 1.28 * u
        said = message("stands", figure=name, word=word, low=low, high=high, kinds=kind.plural)
    return Standing(name, share, said)
