"""A recording as a table: its clock, its channels and their order, worked out by hand."""

import numpy as np
import pytest

from kentrobar.core.measure.recording import (
    MOST_SAMPLES,
    NoSwingError,
    _clock_column,
    _to_seconds,
    columns_of,
    in_order,
)

ROWS = 60


def table(*columns, header="", mark=","):
    """A CSV of columns, each a function of the row's number."""
    rows = (mark.join(str(one(i)) for one in columns) for i in range(ROWS))
    return "\n".join(([header] if header else []) + list(rows))


def steady(i):
    return i * 20


def swings(i):
    return (-1) ** i


def test_a_table_is_its_clock_from_zero_and_its_motion_by_name():
    times, channels = columns_of(table(lambda i: 1000 + 20 * i, swings, header=" ms , gyro x "))
    assert times == pytest.approx([0.02 * i for i in range(ROWS)])
    assert list(channels) == ["gyro x"]
    assert channels["gyro x"][:3].tolist() == [1, -1, 1]


@pytest.mark.parametrize(
    ("text", "names"),
    [
        (table(swings, steady), ["column 1"]),
        (table(steady, swings, header="t,"), ["column 2"]),
        (table(steady, swings, header="t"), ["column 2"]),
        (table(steady, swings, lambda i: "phone", header="t,x,who"), ["x"]),
        # A column with a word in every fifth row is none; with one in every twentieth it is.
        (table(steady, swings, lambda i: "-" if i % 5 == 0 else 7 * swings(i)), ["column 2"]),
        (table(steady, lambda i: "-" if i % 20 == 19 else swings(i)), ["column 2"]),
        (table(steady, swings, mark=";"), ["column 2"]),
        (table(steady, swings, mark="\t"), ["column 2"]),
        (table(steady, swings, mark="  "), ["column 2"]),
        ("\ufeff" + table(steady, swings), ["column 2"]),
        (table(steady, swings).replace("\n", "\n\n"), ["column 2"]),
        # Decimal commas between semicolons, tabs or blanks.
        (table(lambda i: f"{i * 20},5", swings, mark=";"), ["column 2"]),
        (table(lambda i: f"{i * 20},5", swings, mark="\t"), ["column 2"]),
    ],
)  # fmt: skip
def test_any_table_of_numbers_is_read(text, names):
    times, channels = columns_of(text)
    assert list(channels) == names
    assert (times[0], times[1]) == (0, pytest.approx(0.02))
    assert all(len(one) == len(times) for one in channels.values())


def test_rows_that_lack_a_number_or_hold_no_finite_one_fall_out():
    lines = table(steady, swings, header="t,x").splitlines()
    lines[5] = "80"
    lines[7] = "120,nan"
    lines[9] = "160,inf"
    times, channels = columns_of("\n".join(lines))
    assert len(times) == len(channels["x"]) == ROWS - 3
    assert 0.08 not in times.round(6)
    # A line of words among the numbers is no header; a longer row keeps its first cells.
    lines[11] = "paused,again"
    lines[13] = "240,1,99"
    assert list(columns_of("\n".join(lines))[1]) == ["x"]


def test_the_fewest_and_the_most_rows():
    lines = table(steady, swings).splitlines()
    assert len(columns_of("\n".join(lines[:40]))[0]) == 40
    with pytest.raises(NoSwingError, match="39 rows of numbers"):
        columns_of("\n".join(lines[:39]))
    many = "\n".join(f"{i},{i % 2}" for i in range(MOST_SAMPLES + 1))
    with pytest.raises(NoSwingError, match=f"More than {MOST_SAMPLES}"):
        columns_of(many)
    assert len(columns_of(many.rpartition("\n")[0])[0]) == MOST_SAMPLES


def columns(*ones):
    return np.array(ones, dtype=float).T


@pytest.mark.parametrize(
    ("name", "step", "factor"),
    [
        ("t in ns", 0.02, 1e-9), ("nanoseconds", 0.02, 1e-9), ("us", 0.02, 1e-6),
        ("µs", 0.02, 1e-6), ("Micros", 0.02, 1e-6), ("t (MS)", 0.02, 1e-3),
        ("milli", 0.02, 1e-3), ("beams", 0.02, 1.0), ("", 0.02, 1.0), ("", 0.25, 1.0),
        ("", 0.26, 1e-3), ("", 250, 1e-3), ("", 251, 1e-6), ("", 1e5, 1e-6), ("", 1.1e5, 1e-9),
    ],
)  # fmt: skip
def test_the_clock_is_brought_to_seconds(name, step, factor):
    # The usual step counts: a stamp that stood still or waited long changes nothing.
    stamps = np.cumsum([0, step, 0, step, step, step, 90 * step])
    assert _to_seconds(stamps, name) == factor


def test_the_clock_is_the_column_that_rises():
    rising = np.arange(100.0)
    swing = np.sin(rising)
    one_back = rising.copy()
    one_back[50] = 40  # one step of 99 goes back
    still = np.repeat(np.arange(25.0), 4)  # three of four steps stand still
    halves = np.repeat(np.arange(50.0), 2)[:100]
    assert _clock_column(columns(swing, rising), ["a", "b"], [0, 1]) == 1
    assert _clock_column(columns(swing, one_back), ["a", "b"], [0, 1]) == 1
    with pytest.raises(NoSwingError, match="clock"):
        _clock_column(columns(swing, still), ["a", "b"], [0, 1])
    with pytest.raises(NoSwingError, match="clock"):
        _clock_column(columns(swing, halves), ["a", "b"], [0, 1])
    two_back = one_back.copy()
    two_back[[20, 70]] = 3
    with pytest.raises(NoSwingError, match="clock"):
        _clock_column(columns(swing, two_back), ["a", "b"], [0, 1])
    # A gap in it is no step; a column that is not filled is not looked at.
    gap = rising.copy()
    gap[30:34] = np.nan
    assert _clock_column(columns(rising, gap), ["a", "b"], [1]) == 1


@pytest.mark.parametrize(
    "name", ["Time", "timestamp", "seconds_elapsed", "T", "t [s]", "Zeit", "temps", "stamp"]
)
def test_of_two_that_rise_the_one_named_so_is_the_clock(name):
    counter = np.arange(100.0)
    table = columns(counter, counter / 50)
    assert _clock_column(table, ["n", name], [0, 1]) == 1
    assert _clock_column(table, ["n", "count"], [0, 1]) == 0


def test_samples_are_put_in_order_and_each_moment_counts_once():
    times = np.arange(100) * 0.02
    motion = np.arange(100.0)
    order = [1, 0, 3, 2, *range(4, 100)]
    twice = np.append(times[order], times[7])
    found, channels, notes = in_order(twice, {"x": np.append(motion[order], 555.0)})
    assert found == pytest.approx(times)
    # Of two at one moment the first that was written stands.
    assert channels["x"] == pytest.approx(motion)
    assert notes == []


def test_gaps_are_counted_with_the_longest():
    times = np.arange(100) * 0.02
    times[40:] += 0.06  # four steps long: no gap yet
    assert in_order(times, {})[2] == []
    times[60:] += 0.10  # six
    times[80:] += 0.50
    ((note),) = in_order(times, {})[2]
    assert note.code == "gaps"
    assert note.figures == {"count": 2, "longest": pytest.approx(0.52)}


def test_the_slowest_that_will_do():
    assert len(in_order(np.arange(100) / 19.05, {})[0]) == 100
    with pytest.raises(NoSwingError, match=r"18\.9 samples a second: 20 are the least"):
        in_order(np.arange(100) / 18.9, {})


def test_one_wrong_time_stamp_is_a_stretch_of_its_own():
    """A second of it a million seconds later: what came before is read, and memory stays small."""
    times = np.append(np.arange(1000) * 0.02, 1e6)
    found, channels, (note, *_) = in_order(times, {"x": np.arange(1001.0)})
    assert (len(found), float(found[-1]), channels["x"][-1]) == (1000, pytest.approx(19.98), 999)
    assert (note.code, note.figures["count"]) == ("longest-stretch", 1)
    # Two recordings in one file, an hour apart: the longer counts.
    twice = np.concatenate([np.arange(200) * 0.02, 3600 + np.arange(700) * 0.02])
    assert len(in_order(twice, {})[0]) == 700


def test_a_recording_of_an_hour_is_refused():
    with pytest.raises(NoSwingError, match="cut it to 900 s"):
        in_order(np.arange(100_000) * 0.04, {})


def test_a_cell_beyond_all_tables_is_said_so():
    text = "t,x\n" + '"' + "9" * 200_000 + '",1\n' * 50
    with pytest.raises(NoSwingError, match="no table of numbers"):
        columns_of(text)
