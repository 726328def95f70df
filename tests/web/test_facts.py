"""What is kept can be trusted: demo readings reduce again to themselves, one reader reads, units
carry."""

import contextlib
import socket
import threading

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kentrobar.core.errors import DocumentError, UnreadableError
from kentrobar.core.io.readings import dump_reading, reading_of, reduced
from kentrobar.core.measure.registry import METHODS
from kentrobar.core.numbers import nominal
from kentrobar.core.units import read_degrees, read_length, read_many, read_mass, read_seconds
from kentrobar.demo import workshop as demo
from kentrobar.demo.instruments import plug_in
from kentrobar.devices.lines import Watch, Wiring
from kentrobar.devices.reader import read_lines
from kentrobar.frames.choices import Condition
from kentrobar.frames.models import Frame, Reading
from kentrobar.measuring.models import Instrument
from kentrobar.plans.models import Plan
from kentrobar.workshop.models import JobStep
from tests.simulated import reading, until


@pytest.mark.django_db
def test_every_demo_reading_reduces_to_itself():
    demo.load()
    raw = Reading.objects.exclude(raw={})
    assert raw.count() >= 6
    for one in raw:
        document = reading_of(one.raw)
        value = reduced(document).figures[one.quantity]
        assert nominal(value) == pytest.approx(one.value, rel=1e-12)
        assert reading_of(dump_reading(document)) == document


@pytest.mark.django_db
def test_what_a_demo_job_says_was_read_and_planned_was_done_then():
    demo.load()
    done = JobStep.objects.filter(status="done", kind__in=("before", "plan"))
    assert done.count() >= 5
    for step in done:
        frames = Frame.objects.filter(jobs__job=step.job)
        rows, when = (
            (Plan.objects, "changed_at") if step.kind == "plan" else (Reading.objects, "read_at")
        )
        found = set(rows.filter(frame__in=frames).values_list(when, flat=True))
        assert found <= {step.done_at}, step
        assert found or step.kind == "plan", "a set waits for its plans"


@pytest.mark.django_db
def test_the_demo_hangs_on_the_stand_ins_and_follows_them():
    demo.load()
    plug_in(7710)
    plug_in(7730)
    assert Instrument.objects.get(name="Gannet machine").port == "socket://127.0.0.1:7733"
    Instrument.objects.filter(name="Gannet machine").update(port="/dev/ttyUSB0")
    plug_in(7750)
    assert Instrument.objects.get(name="Gannet machine").port == "/dev/ttyUSB0"


@pytest.mark.parametrize("condition", Condition.values)
@pytest.mark.parametrize(("mass", "length"), [("g", "cm"), ("oz", "in")])
def test_every_measure_page_speaks_the_units_chosen(bench, racket, condition, mass, length):
    bench.post("/units/", {"mass": mass, "next": "/"})
    bench.post("/units/", {"length": length, "next": "/"})
    for method in METHODS:
        page = bench.get(f"/frames/{racket.pk}/measure/?condition={condition}&method={method}")
        assert page.status_code == 200
        if method in ("two-scales", "pendulum"):
            assert f" {length}</text>" in page.content.decode()


def test_points_and_ounces_are_read_by_a_measurement(bench, racket):
    bench.post(
        f"/frames/{racket.pk}/measure/",
        {
            "method": "pendulum",
            "condition": "as-played",
            "quantity": "swing_kgcm2",
            "mass": "11.175 oz",
            "balance": "6.142 pts HL",
            "pivot": "25 3/8 in",
            "axis": "4 in",
            "period": "1382 ms",
            "confirm": "on",
        },
    )
    one = racket.readings.filter(method="pendulum").get()
    # Ounces to a thousandth leave so much open.
    assert one.raw["mass_g"] == {
        "value": pytest.approx(316.8, abs=0.01), "u": pytest.approx(0.00818, rel=0.01)
    }  # fmt: skip
    assert one.raw["balance_mm"]["value"] == pytest.approx(323.5, abs=0.01)
    assert one.axis_mm == pytest.approx(101.6)


@given(
    st.lists(
        st.floats(0.1, 999, allow_nan=False).map(lambda x: round(x, 1)), min_size=1, max_size=8
    ),
    st.sampled_from([" ", "; ", "\n", ", ", "  "]),
    st.booleans(),
)
def test_repeats_are_read_however_they_are_parted(values, between, comma):
    text = between.join(f"{v:.1f}".replace(".", ",") if comma else f"{v:.1f}" for v in values)
    assert [typed.value for typed in read_many(text, read_mass)] == pytest.approx(values)


def test_small_units():
    assert read_seconds("1382 ms").value == pytest.approx(1.382)
    assert (read_degrees("8 ± 1°").value, read_degrees("8 ± 1°").u) == (8, 1)
    assert [t.value for t in read_many("32,4 cm\n12 7/8 in", read_length)] == pytest.approx(
        [324, 327.025]
    )
    for words in ("", "fast", "8 kg"):
        with pytest.raises(UnreadableError):
            read_degrees(words)


@given(
    st.recursive(
        st.none() | st.booleans() | st.floats(allow_nan=False) | st.text(max_size=6),
        lambda inner: (
            st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=8), inner, max_size=4)
        ),
        max_leaves=12,
    ),
    st.sampled_from(["scale", "pendulum", "bifilar", "two-scales", "told"]),
)
def test_no_document_breaks_reducing(value, method):
    document = {"format": "kentrobar-reading/1", "method": method}
    document |= (
        value
        if isinstance(value, dict)
        else {"readings_g": value, "mass_g": value, "period_s": value}
    )
    with contextlib.suppress(DocumentError):  # refused in words, or reduced: nothing else
        reduced(reading_of(document))


# --- lines in pieces -----------------------------------------------------------------------------


class Speaker:
    """A device that says exactly what it is told to, byte by byte."""

    def __init__(self):
        self.server = socket.create_server(("127.0.0.1", 0))
        self.url = f"socket://127.0.0.1:{self.server.getsockname()[1]}"

    def listen(self):
        self.line, _ = self.server.accept()

    def say(self, data):
        self.line.sendall(data)

    def close(self):
        self.line.close()
        self.server.close()


@pytest.fixture
def speaker():
    speaker = Speaker()
    watch = Watch(Wiring(1, "a scale", "scale", speaker.url), lambda *_: None)
    watch.start()
    speaker.listen()
    # Opening a line throws away what lay in it.
    assert until(lambda: "Waiting" in watch.told.word)
    speaker.watch = watch
    yield speaker
    watch.stop()
    speaker.close()
    watch.join()


def test_a_line_in_pieces_is_put_together(speaker):
    for piece in (b"= 31", b"6", b".8", b" g", b"\r"):
        speaker.say(piece)
    assert until(lambda: speaker.watch.told.value == 316.8)
    speaker.say(b"\n~ 317.2 g\r\n= 3")
    assert until(lambda: speaker.watch.told.value == 317.2 and not speaker.watch.told.is_stable)


def test_one_bad_line_is_forgiven_and_three_are_told(speaker):
    speaker.say(b"= 316.8 g\r\n\xff\xfe\r\n= 316.9 g\r\n")
    assert until(lambda: speaker.watch.told.value == 316.9)
    speaker.say(b"?!\r\n" * 3)
    assert until(lambda: speaker.watch.told.state == "garbled")
    speaker.say(b"x" * 5000)
    speaker.say(b"\r\n= 316.8 g\r\n")
    assert until(lambda: speaker.watch.told.state == "live")


@pytest.mark.django_db(transaction=True)
def test_of_two_readers_one_reads_and_the_other_waits_its_turn():
    said, stop = [], threading.Event()
    with reading():
        waiting = threading.Thread(target=read_lines, args=(stop, said.append))
        waiting.start()
        still_waits = not until(lambda: said, 2.5)
    takes_over = until(lambda: said)
    stop.set()
    waiting.join(10)
    assert (still_waits, takes_over) == (True, True)
