"""A whole set under one ruler: a lane a frame, with what hangs from it and where it balances."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from kentrobar.core.frame.predict import Prediction
from kentrobar.core.numbers import nominal
from kentrobar.core.reader import the_reader
from kentrobar.core.words.amounts import Amount

from .bench import BOB_GRAM, bob_path

WIDTH, MARGIN = 460.0, 12.0
LANE_HEIGHT, LINE = 46.0, 5.0
MOST = 9.0
"""Half the width of the largest bob."""
LABEL = 40.0
"""About how wide a bob's label is."""


@dataclass(frozen=True, slots=True)
class Hung:
    """A bob in a lane; ``label_y`` steps down where a neighbour's label stands."""

    x: float
    size: float
    path: str
    label: str
    label_x: float
    label_y: float
    is_left: bool
    is_off: bool

    @property
    def right(self) -> float:
        """How far right it and its label reach."""
        return self.x + self.size if self.is_left else self.label_x + LABEL


@dataclass(frozen=True, slots=True)
class Lane:
    measured: float
    planned: float
    bobs: list[Hung]


@dataclass(frozen=True, slots=True)
class Under:
    """The ruler over all lanes, and the lanes in the order of the frames."""

    ticks: str
    numbers: list[tuple[float, int]]
    unit: str
    pin: float
    lanes: list[Lane]
    width: float = WIDTH
    height: float = LANE_HEIGHT


def under_one_ruler(predictions: Sequence[Prediction], length_mm: float, axis_mm: float) -> Under:
    """Lanes for frames of at most ``length_mm``, all to one scale."""
    k = (WIDTH - 2 * MARGIN) / length_mm
    heaviest = max(
        (abs(nominal(share.body.mass)) for one in predictions for share in one.shares), default=1.0
    )
    scale = min(BOB_GRAM, MOST / heaviest**0.5)

    def x(mm: float) -> float:
        return round(MARGIN + k * mm, 1)

    in_inches = the_reader().length == "in"
    step = 25.4 if in_inches else 10.0
    ticks, numbers = [], []
    for i in range(int(length_mm / step + 1e-9) + 1):
        a_number = i % (4 if in_inches else 10) == 0
        ticks.append(f"M{x(i * step):g} 18v{-9 if a_number else -5}")
        if a_number:
            numbers.append((x(i * step), i))
    lanes = [
        Lane(
            x(nominal(one.before.balance)),
            x(nominal(one.after.balance)),
            _bobs(one, x, scale),
        )
        for one in predictions
    ]
    return Under("".join(ticks), numbers, "in" if in_inches else "cm", x(axis_mm), lanes)


def _bobs(prediction: Prediction, x: Callable[[float], float], scale: float) -> list[Hung]:
    found: list[Hung] = []
    shares = [share for share in prediction.shares if nominal(share.body.mass)]
    for share in sorted(shares, key=lambda share: nominal(share.body.balance)):
        grams = nominal(share.body.mass)
        at, s = x(nominal(share.body.balance)), scale * abs(grams) ** 0.5
        top = LINE + 9
        path = bob_path(at, top, s)
        label = Amount("mass_g", grams).fine()
        is_left = at + s + LABEL > WIDTH
        label_x = at - s - 3 if is_left else at + s + 3
        crowded = bool(found) and found[-1].right > label_x - (LABEL if is_left else 0)
        y = LINE + (33 if crowded and found[-1].label_y < LINE + 30 else 21)
        found.append(Hung(at, round(s, 1), path, label, round(label_x, 1), y, is_left, grams < 0))
    return found
