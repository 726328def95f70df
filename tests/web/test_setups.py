"""Set-up drawings and plots: in place on their paper, from the frame's own dimensions."""

import re
from datetime import timedelta

import pytest
from django.utils import timezone

from kentrobar.core.measure.pendulum import pin_at_mm
from kentrobar.core.measure.registry import METHODS
from kentrobar.core.measure.taps import fit
from kentrobar.core.reader import Reader, read_by
from kentrobar.measuring import plots
from kentrobar.measuring.models import Check, Instrument
from kentrobar.measuring.ways import Way
from kentrobar.ui.drawing.setups import CENTRE, UP, setup, usual_places
from tests.core.frames import SHOAL, TERN


def drawn(method, outline, **at):
    return setup(method, outline, usual_places(outline) | at)


@pytest.mark.parametrize("outline", [TERN, SHOAL], ids=["racket", "paddle"])
@pytest.mark.parametrize("method", METHODS)
def test_every_method_is_drawn_on_its_paper(method, outline):
    found = drawn(method, outline)
    left, top, width, height = map(float, found.view.split())
    assert found.label
    assert found.strokes
    for x, y, text, _ in found.words:
        assert left <= x <= left + width, text
        assert top <= y <= top + height, text
    for _, path in found.strokes:
        assert "nan" not in path
        x, y = map(float, re.match(r"M(-?[\d.]+) (-?[\d.]+)", path).groups())
        assert left - 1 <= x <= left + width + 1
        assert top - 1 <= y <= top + height + 1


def placed(turn, x, y):
    """Where a set-up's turn puts a point of the frame's own drawing."""
    for name, numbers in reversed(re.findall(r"(translate|rotate|scale)\(([^)]*)\)", turn)):
        values = [float(number) for number in numbers.split()]
        if name == "translate":
            x, y = x + values[0], y + values[1]
        elif name == "scale":
            x, y = x * values[0], y * values[1]
        else:
            quarter = round(values[0] / 90) % 4
            for _ in range(quarter):
                x, y = -y, x
    return x, y


@pytest.mark.parametrize(("outline", "pivot"), [(TERN, 600.0), (TERN, 98.0), (SHOAL, 50.0)])
def test_a_pendulum_hangs_from_its_pivot_with_the_heavy_end_down(outline, pivot):
    found = drawn("pendulum", outline, pivot=pivot)
    paper = found.bench.paper
    assert placed(found.turn, paper.x(pivot), 190) == pytest.approx((CENTRE, UP), abs=0.1)
    balance = outline.length_mm / 2
    _, lower = placed(found.turn, paper.x(balance), 190)
    assert lower > UP
    assert any(f"{pivot:.1f} mm" in text for _, _, text, _ in found.words)


def test_words_follow_the_units_and_the_places_written():
    with read_by(Reader(length="in")):
        inches = drawn("two-scales", TERN, x2=600.0)
        machine = drawn("machine", TERN, axis=101.6)
    # As wherever a swing weight names its axis, whatever the reader's units.
    assert any("axis 101.6 mm" in text for _, _, text, _ in machine.words)
    assert any("23.62 in" in text for _, _, text, _ in inches.words)
    level, down = drawn("bifilar", TERN, level=1), drawn("bifilar", TERN)
    assert (level.shape, down.shape) == ("level", "tall")


@pytest.mark.parametrize("outline", [TERN, SHOAL], ids=["racket", "paddle"])
def test_how_to_steps_speak_of_this_frame(outline):
    for key in METHODS:
        assert len(Way.of(key).steps(outline)) == 3
    pin = next(
        step for step in Way.of("pendulum").steps(outline) if "pin" in step or "axle" in step
    )
    assert f"{pin_at_mm(outline):.1f} mm" in pin


# --- plots ---------------------------------------------------------------------------------------


def inside(plot):
    for dot in plot.dots:
        assert 0 <= dot.x <= plot.width
        assert 0 <= dot.y <= plot.height
    for _, path in plot.lines:
        numbers = [float(n) for n in re.findall(r"-?[\d.]+", path)]
        assert max(numbers[::2]) <= plot.width
        assert min(numbers) >= 0
    return True


def test_residuals_are_plotted_late_upwards():
    times = [0.0, 0.7, 1.4, 2.13, 2.8, 3.5, 4.2, 4.9]
    plot = plots.residuals(fit(times))
    assert inside(plot)
    latest = min(plot.dots, key=lambda dot: dot.y)
    assert latest.label.startswith("tap 4: +")
    assert latest.y < plot.middle


def test_a_recording_is_plotted_as_measured_and_as_fitted():
    plot = plots.recording([(i / 10, i % 7 - 3.0, 0.0) for i in range(50)])
    assert inside(plot)
    assert [kind for kind, _ in plot.lines] == ["measured", "fitted"]


def test_drift_is_plotted_between_its_marks():
    scale = Instrument(name="Skerrow scale", kind="scale", resolution=0.1, drift_band=0.3)
    now = timezone.now()

    def check(days, off):
        return Check(
            instrument=scale,
            reference="500 g",
            expected=500,
            read=500 + off,
            checked_at=now - timedelta(days=days),
        )

    assert plots.drift(scale, []) is None
    assert inside(plots.drift(scale, [check(0, 0.1)]))
    plot = plots.drift(scale, [check(0, 0.9), check(30, -0.1), check(60, 0.1)])
    assert inside(plot)
    assert [dot.is_off for dot in plot.dots] == [False, False, True]
    upper, lower = plot.marks
    assert plot.middle - upper == pytest.approx(lower - plot.middle, abs=0.2)
    assert plot.dots[-1].y < upper  # beyond the mark, upwards
