"""Small plots, worked out as plain shapes for the templates: residuals of taps, a recording, a
drift."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from kentrobar.core.measure.taps import TapFit
from kentrobar.core.reader import digits

from .models import Check, Instrument

WIDTH, HEIGHT = 460.0, 110.0
LEFT, RIGHT, TOP, BOTTOM = 44.0, 8.0, 8.0, 18.0


@dataclass(frozen=True, slots=True)
class Dot:
    x: float
    y: float
    label: str
    is_off: bool = False


@dataclass(frozen=True, slots=True)
class Plot:
    """Dots and lines on a small paper, with a middle line, two marks, and words at the left."""

    dots: list[Dot]
    lines: list[tuple[str, str]]
    middle: float
    marks: list[float]
    top_word: str
    bottom_word: str
    under: list[tuple[float, str]]
    label: str
    width: float = WIDTH
    height: float = HEIGHT


class _Scale:
    def __init__(self, low: float, high: float, out_low: float, out_high: float) -> None:
        self.low, self.out_low = low, out_low
        self.k = (out_high - out_low) / ((high - low) or 1.0)

    def __call__(self, value: float) -> float:
        return round(self.out_low + (value - self.low) * self.k, 1)


def residuals(fit: TapFit) -> Plot:
    """Each tap's lateness in ms along the run; strays and doubles stand out."""
    reach = max(0.02, *(abs(r) for r in fit.residuals)) * 1.1
    x = _Scale(0, max(fit.numbers), LEFT + 8, WIDTH - RIGHT - 8)
    y = _Scale(-reach, reach, HEIGHT - BOTTOM, TOP)
    dots = [
        Dot(x(number), y(r), f"tap {i + 1}: {r * 1000:+.0f} ms", i in fit.stray)
        for i, number, r in zip(fit.kept, fit.numbers, fit.residuals, strict=True)
    ]
    sigma = fit.s
    return Plot(
        dots, [], y(0), [y(sigma), y(-sigma)], f"+{reach * 1000:.0f} ms", f"−{reach * 1000:.0f} ms",
        [(LEFT + 8, "first pass"), (WIDTH - 60, "last pass")],
        f"How early or late each tap came, in ms; they scatter by {sigma * 1000:.0f} ms",
    )  # fmt: skip


def recording(points: Sequence[Sequence[float]]) -> Plot:
    """A stretch of a recording, as measured and as fitted."""
    times = [p[0] for p in points]
    values = [v for p in points for v in p[1:]]
    x = _Scale(times[0], times[-1], LEFT, WIDTH - RIGHT)
    y = _Scale(min(values), max(values), HEIGHT - BOTTOM, TOP)
    measured = "M" + "L".join(f"{x(t):g} {y(v):g}" for t, v, _ in points)
    fitted = "M" + "L".join(f"{x(t):g} {y(v):g}" for t, _, v in points)
    return Plot(
        [], [("measured", measured), ("fitted", fitted)], y(sum(values) / len(values)), [], "", "",
        [(LEFT, f"{times[0]:.0f} s"), (WIDTH - 46, f"{times[-1]:.0f} s")],
        "The recording, and the dying sine fitted to it",
    )  # fmt: skip


def left_over(points: Sequence[Sequence[float]]) -> Plot:
    """What a fit leaves of a recording, in hundredths of its swing."""
    most = max((abs(fitted) for _, _, fitted in points), default=0.0) or 1.0
    left = [(t, 100 * (measured - fitted) / most) for t, measured, fitted in points]
    reach = max(2.0, *(abs(one) for _, one in left)) * 1.1
    x = _Scale(points[0][0], points[-1][0], LEFT, WIDTH - RIGHT)
    y = _Scale(-reach, reach, HEIGHT - BOTTOM, TOP)
    line = "M" + "L".join(f"{x(t):g} {y(one):g}" for t, one in left)
    return Plot(
        [], [("measured", line)], y(0), [], f"+{reach:.0f} %", f"−{reach:.0f} %",
        [(LEFT, f"{points[0][0]:.0f} s"), (WIDTH - 46, f"{points[-1][0]:.0f} s")],
        "What the fit leaves, in hundredths of the swing",
    )  # fmt: skip


def drift(instrument: Instrument, checks: Sequence[Check]) -> Plot | None:
    """What an instrument read off its reference, over time, between its band's marks."""
    if not checks:
        return None
    old_first = sorted(checks, key=lambda check: check.checked_at)
    band = instrument.drift_band
    reach = max(band * 1.5, *(abs(check.drift) for check in checks)) * 1.1
    start, end = old_first[0].checked_at, old_first[-1].checked_at
    span = max((end - start).total_seconds(), 1.0)
    x = _Scale(0, span, LEFT + 8, WIDTH - RIGHT - 8)
    y = _Scale(-reach, reach, HEIGHT - BOTTOM, TOP)
    dots, steps = [], []
    for check in old_first:
        at = x((check.checked_at - start).total_seconds()) if start != end else WIDTH / 2
        words = (
            f"{check.checked_at:%-d %b}, {check.reference}:"
            f" {digits(check.drift, 3, signed=True)} {instrument.unit}"
        )
        dots.append(Dot(at, y(check.drift), words, not check.is_level))
        steps.append(f"{at:g} {y(check.drift):g}")
    return Plot(
        dots,
        [("measured", "M" + "L".join(steps))],
        y(0),
        [y(band), y(-band)],
        f"+{digits(reach)}",
        f"−{digits(reach)}",
        [(LEFT, f"{start:%-d %b}"), (WIDTH - 46, f"{end:%-d %b}")]
        if start != end
        else [(LEFT, f"{start:%-d %b}")],
        f"Drift of {instrument.name} at its checks, in {instrument.unit};"
        f" the marks are ± {digits(band)}",
    )
