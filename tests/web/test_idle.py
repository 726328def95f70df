"""A line on which nothing moves is listened to less closely, and misses nothing."""

import time

from kentrobar.devices import lines
from kentrobar.devices.lines import LineState, Watch, Wiring, understand


class Port:
    timeout = lines.LISTEN_S


def watched(monkeypatch, kind="scale"):
    clock = [1000.0]
    monkeypatch.setattr(time, "monotonic", lambda: clock[0])
    told: list[LineState] = []
    watch = Watch(
        Wiring(1, "scale", kind, "socket://127.0.0.1:1"), lambda _, state: told.append(state)
    )
    return watch, told, clock


def hear(watch, clock, text, seconds, every=0.1):
    """The same line again and again."""
    for _ in range(round(seconds / every)):
        clock[0] += every
        watch._settle(Port, clock[0])
        watch._hear(text.encode() if isinstance(text, str) else next(text))


def test_a_figure_that_stands_is_told_once_and_listened_to_less(monkeypatch):
    watch, told, clock = watched(monkeypatch)
    hear(watch, clock, "= 320.1 g", 10)
    assert [one.value for one in told] == [320.1]
    assert (watch._is_idle, Port.timeout) == (True, 0)
    # It is asked for what came meanwhile. Something is put on: told with the next line, and
    # listened to closely again.
    hear(watch, clock, "~ 326.4 g", 0.1)
    assert told[-1].value == 326.4
    hear(watch, clock, "~ 326.5 g", 0.1)
    assert (watch._is_idle, Port.timeout) == (False, lines.LISTEN_S)
    assert told[-1].value == 326.5


def test_a_wandering_last_digit_does_not_move_and_is_told_once_a_second(monkeypatch):
    watch, told, clock = watched(monkeypatch)
    wanders = (f"= {320.1 + 0.1 * (i % 2):.1f} g".encode() for i in range(10_000))
    hear(watch, clock, wanders, 10)
    before = len(told)
    hear(watch, clock, wanders, 10)
    assert watch._is_idle
    assert 8 <= len(told) - before <= 11
    assert watch.told.value in (320.1, 320.2)


def test_the_step_is_that_of_the_last_digit_in_the_units_read():
    assert [understand(text, "scale").step for text in ("= 320 g", "= 320.10 g")] == [1.0, 0.01]
    assert round(understand("= 11.290 oz", "scale").step, 5) == 0.02835
