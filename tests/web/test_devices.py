"""Lines: what devices say, read over real sockets from the simulators, with all that goes wrong."""

import json
import math
import time

import pytest
from django.utils import timezone
from hypothesis import example, given
from hypothesis import strategies as st

from kentrobar.demo import simulators
from kentrobar.demo.views import _read
from kentrobar.devices import reader
from kentrobar.devices.lines import Watch, Wiring, understand
from kentrobar.devices.models import Line
from kentrobar.measuring import lines_here
from kentrobar.measuring.models import Instrument
from tests.core.frames import READ, TERN
from tests.pages import faults, said
from tests.simulated import Bench, reading, until

from .conftest import measured_frame


@pytest.mark.parametrize(
    ("text", "kind", "value", "is_stable"),
    [
        ("=    316.8 g", "scale", 316.8, True),
        ("~ 316.4g", "scale", 316.4, False),
        ("ST + 11.175 oz", "scale", 316.806, True),
        ("US,-  0.3,g", "scale", -0.3, False),
        ("0.3168 kg", "scale", 316.8, True),
        ("318.4 kgcm2 @ 100 mm", "machine", 318.4, True),
        ("P 12.34567", "timer", 12.34567, True),
        ("318.4", "machine", 318.4, True),
        ("hello", "scale", None, None),
        ("316.8 kgcm2", "scale", None, None),
        ("g", "scale", None, None),
        ("", "scale", None, None),
    ],
)
def test_lines_of_many_makes_are_understood(text, kind, value, is_stable):
    heard = understand(text, kind)
    if value is None:
        assert heard is None
    else:
        assert (heard.value, heard.is_stable) == (pytest.approx(value, abs=1e-3), is_stable)


@given(st.text(max_size=300), st.sampled_from(["scale", "machine", "timer", "board"]))
@example("999999999999999936", "scale")
def test_no_line_breaks_the_reader(text, kind):
    heard = understand(text, kind)
    assert heard is None or abs(heard.value) < 1e18


# --- a bench of simulators ------------------------------------------------------------------------


@pytest.fixture
def standing():
    bench = Bench()
    yield bench
    bench.close()


@pytest.fixture
def watch(standing):
    watches = []

    def start(device, kind, is_asked=False):
        one = Watch(
            Wiring(1, f"the {device}", kind, standing.url(device), is_asked=is_asked),
            lambda *_: None,
        )
        watches.append(one)
        one.start()
        return one

    yield start
    for one in watches:
        one.stop()
        one.join()


def test_a_scale_that_sends_comes_to_rest_on_the_true_mass(standing, watch):
    scale = watch("scale", "scale")
    standing.put("scale")
    assert until(lambda: scale.told.is_stable and scale.told.value and scale.told.value > 300)
    assert scale.told.value == pytest.approx(316.83, abs=0.3)


def test_a_scale_that_answers_reads_ounces_and_is_set_to_nought(standing, watch):
    second = watch("second scale", "scale", is_asked=True)
    standing.put("supports", at={"x1": 20, "x2": 666})
    assert until(lambda: second.told.is_stable and second.told.value and second.told.value > 100)
    assert second.told.value == pytest.approx(316.83 * (323.46 - 20) / 646, abs=0.4)
    second.orders.put("0")
    assert until(lambda: second.told.value is not None and abs(second.told.value) < 0.5)


def test_the_machine_reads_high_by_the_twist_weight_when_clamped_flat(standing, watch):
    machine = watch("machine", "machine", is_asked=True)
    standing.put("machine")
    assert until(lambda: machine.told.is_stable and machine.told.value and machine.told.value > 300)
    upright = machine.told.value
    assert upright == pytest.approx(314.9 + 0.7, abs=1.2)
    standing.put("machine flat")
    assert until(lambda: machine.told.value and machine.told.value > upright + 10)
    assert machine.told.value - upright == pytest.approx(13.36, abs=1.5)


def test_pieces_fitted_weigh_what_they_weigh(standing, watch):
    scale = watch("scale", "scale")
    piece = {"kind": "strip", "mass_g": 10.0, "clock": 3, "length_mm": 80, "mirror": True}
    standing.put("scale", pieces=[piece])
    assert until(lambda: scale.told.is_stable and scale.told.value and scale.told.value > 320)
    assert scale.told.value == pytest.approx(326.83, abs=0.6)


def test_a_sensor_tells_passes_until_the_swing_ends(standing, watch):
    sensor = watch("sensor", "timer")
    standing.put("pendulum", at={"pivot": 644})
    assert until(lambda: len(sensor.told.passes) >= 4)
    gaps = [b - a for a, b in zip(sensor.told.passes, sensor.told.passes[1:], strict=False)]
    assert gaps[0] == pytest.approx(1.382 / 2, abs=0.01)
    standing.put("off")
    assert until(lambda: sensor.told.state == "mute")
    assert "No pass is seen" in sensor.told.word
    assert len(sensor.told.passes) >= 4


@pytest.mark.parametrize(
    ("fault", "state", "words"),
    [
        ("unplugged", "gone", "was unplugged while it was being read"),
        ("frozen", "mute", "has said nothing for"),
        ("garbled", "garbled", "sends what cannot be read"),
    ],
)
def test_each_fault_ends_in_its_word_and_passes(standing, watch, fault, state, words):
    scale = watch("scale", "scale")
    assert until(lambda: scale.told.state == "live")
    standing.fault("scale", fault)
    assert until(lambda: scale.told.state == state)
    assert words in scale.told.word
    standing.fault("scale", "none")
    assert until(lambda: scale.told.state == "live")


def test_a_flood_is_drunk_without_choking(standing, watch):
    scale = watch("scale", "scale")
    assert until(lambda: scale.told.state == "live")
    told = []
    scale.sink = lambda _, news: told.append(news)
    began = time.monotonic()
    standing.fault("scale", "flooding")
    assert until(lambda: len(told) > 20)
    assert scale.told.state == "live"
    # Told at most every 40 ms, however fast it talks.
    assert len(told) / (time.monotonic() - began) < 40
    standing.fault("scale", "none")


def test_a_line_nobody_answers_says_so():
    watch = Watch(Wiring(1, "Lost scale", "scale", "socket://127.0.0.1:9"), lambda *_: None)
    watch.start()
    assert until(lambda: watch.told.state == "gone")
    assert "does not answer" in watch.told.word
    watch.stop()
    watch.join()


def test_the_panel_refuses_nonsense(standing):
    assert "error" in standing.order(order="put", station="scale")
    assert "no such device" in standing.fault("kettle", "frozen")["error"]
    assert standing.order(order="look")["on"] == ""


def test_unknown_frames_are_made_up_and_stay_the_same():
    one, two = (simulators.bare_body("Tern 98 · no. 99", TERN) for _ in range(2))
    assert one == two
    assert 270 < one.mass < 320
    assert simulators.bare_body("Tern 98 · no. 98", TERN) != one


def test_a_frame_of_ones_own_is_on_the_simulators_as_it_was_read(db):
    """Read as played with all of its parts on: with the same on again it is what was read."""
    frame = measured_frame(TERN, READ, serial="no. 99")
    read = _read(frame)
    bare = simulators.bare_body("Tern 98 · no. 99", TERN, read)
    again = bare + simulators.parts_body(["strings", "overgrip", "dampener"], TERN)
    assert again.mass == pytest.approx(READ.mass_g)
    assert again.balance == pytest.approx(READ.balance_mm)
    assert again.swing_kgcm2(100) == pytest.approx(READ.swing_kgcm2)
    assert again.twist_kgcm2 == pytest.approx(READ.twist_kgcm2)
    as_bare = _read(measured_frame(TERN, READ, "bare", serial="no. 98"))
    assert simulators.bare_body("Tern 98 · no. 98", TERN, as_bare).mass == pytest.approx(
        READ.mass_g
    )


# --- pages ---------------------------------------------------------------------------------------


@pytest.fixture
def scale(db, settings):
    settings.LINES = ["socket://127.0.0.1:9"]
    return Instrument.objects.create(
        name="Skerrow scale",
        kind="scale",
        resolution=0.1,
        drift_band=0.3,
        port="socket://127.0.0.1:9",
    )


def hear(scale, **more):
    now = timezone.now()
    facts = {
        "state": "live",
        "value": 316.84,
        "is_stable": True,
        "heard_at": now,
        "beat_at": now,
    } | more
    return Line.objects.update_or_create(instrument=scale, defaults=facts)[0]


LONG_AGO = timezone.now() - timezone.timedelta(minutes=5)


@pytest.mark.parametrize(
    ("line", "says"),
    [
        (None, "Nobody reads the lines"),
        ({"beat_at": LONG_AGO}, "Nobody reads the lines"),
        ({"state": "gone", "word": "Skerrow scale was unplugged."}, "was unplugged"),
        ({"heard_at": LONG_AGO}, "stopped in the middle"),
        ({"is_stable": False}, "still moving"),
    ],
)
def test_a_figure_is_only_taken_live_and_at_rest(bench, scale, line, says):
    if line is not None:
        hear(scale, **line)
    answer = bench.post(f"/live/{scale.pk}/take/", {"into": "m-readings"})
    assert answer.status_code == 409
    assert says in answer.headers["HX-Trigger-After-Swap"]
    assert bench.get(f"/live/{scale.pk}/").status_code == 200


def test_a_figure_at_rest_is_taken_in_the_units_shown(bench, scale):
    hear(scale)
    taken = bench.post(f"/live/{scale.pk}/take/", {"into": "m-readings"})
    assert '"text": "316.8", "adds": true' in taken.headers["HX-Trigger-After-Swap"]
    bench.post("/units/", {"mass": "oz", "next": "/"})
    assert (
        '"text": "11.176"'
        in bench.post(f"/live/{scale.pk}/take/", {"into": "m-m1"}).headers["HX-Trigger-After-Swap"]
    )


def test_a_figure_that_stands_alone_has_its_drift_off_and_says_how_sure_it_is(bench, scale):
    scale.checks.create(reference="500 g", expected=500.0, read=500.4, read_u=0.03)
    hear(scale)

    def taken(how):
        answer = bench.post(f"/live/{scale.pk}/take/", {"into": "t-mass_g", "as": how})
        return json.loads(answer.headers["HX-Trigger-After-Swap"])["figure-taken"]["text"]

    # 0.1 g of display and 0.05 g of scatter as usual for a scale, a guess; 0.03 g of the check.
    guessed = math.hypot(0.1 / 12**0.5, 0.05 * 3.31 / 2)
    assert taken("single") == f"{316.84 - 0.4:.2f} ± {math.hypot(guessed, 0.03):.2f}"
    # A piece is laid on after setting to zero.
    assert taken("small") == f"316.84 ± {guessed:.2f}"
    bench.post("/units/", {"mass": "oz", "next": "/"})
    in_ounces = math.hypot(guessed, 0.03) / 28.349523125
    assert taken("single") == f"{(316.84 - 0.4) / 28.349523125:.4f} ± {in_ounces:.4f}"


def test_passes_are_taken_whole(bench, db, settings):
    settings.LINES = ["socket://127.0.0.1:9"]
    sensor = Instrument.objects.create(
        name="Light gate",
        kind="timer",
        resolution=0.001,
        drift_band=0.01,
        port="socket://127.0.0.1:9",
    )
    few = hear(sensor, passes=[5.0, 5.7])
    assert (
        "let it swing until"
        in bench.post(f"/live/{sensor.pk}/take/", {"into": "m-tap_times"}).headers[
            "HX-Trigger-After-Swap"
        ]
    )
    few.passes = [5 + i * 0.7 for i in range(12)]
    few.state, few.word = "mute", "No pass is seen"
    few.save()
    taken = bench.post(f"/live/{sensor.pk}/take/", {"into": "m-tap_times"}).headers[
        "HX-Trigger-After-Swap"
    ]
    assert "0.0000 0.7000 1.4000" in taken


@pytest.mark.django_db(transaction=True)
def test_the_reader_writes_down_what_lines_say_and_passes_orders_on(bench, standing):
    scale = Instrument.objects.create(
        name="Skerrow scale",
        kind="scale",
        resolution=0.1,
        drift_band=0.3,
        port=standing.url("scale"),
    )
    with reading():
        standing.put("scale")
        seen = lambda: Line.objects.filter(instrument=scale, is_stable=True, value__gt=300)  # noqa: E731
        assert until(lambda: seen().exists())
        assert "at rest" in bench.get(f"/live/{scale.pk}/").content.decode()
        bench.post(f"/live/{scale.pk}/tare/")
        assert until(lambda: Line.objects.filter(instrument=scale, value__lt=1).exists())
        Instrument.objects.filter(pk=scale.pk).update(port="socket://127.0.0.1:9")
        assert until(lambda: Line.objects.filter(instrument=scale, state="gone").exists())


def test_without_stand_ins_there_is_no_panel(bench):
    assert bench.get("/simulators/").status_code == 404


def test_the_panel_puts_a_planned_frame_on_the_bench(bench, standing, plan, settings):
    settings.SIMULATORS = standing.port
    there = f"/simulators/?frame={plan.frame_id}"
    assert "the bench is empty" in said(bench.get(there))
    form = {
        "frame": plan.frame_id,
        "plan": plan.pk,
        "station": "scale",
        "x2": "666,5",
        "parts": ["strings"],
    }
    answer = bench.post("/simulators/", form, follow=True).content.decode()
    assert "is on the scale" in answer
    assert standing.inside.thing.name == str(plan.frame)
    assert (
        "the 700 mm bar"
        in bench.post("/simulators/", {"reference": "bar"}, follow=True).content.decode()
    )
    refused = bench.post("/simulators/", form | {"x2": "two feet"})
    assert "“two feet” is not a length" in said(refused)
    assert 'value="two feet"' in said(refused)
    bench.post("/simulators/", {"device": "scale", "fault": "frozen"})
    assert standing.inside.faults["scale"] == "frozen"
    standing.close()
    assert (
        "do not answer"
        in bench.post("/simulators/", {"station": "off"}, follow=True).content.decode()
    )


@pytest.mark.parametrize(
    ("port", "may"),
    [
        ("/dev/ttyUSB0", True), ("/dev/serial/by-id/usb-Skerrow_scale-if00", True),
        ("socket://127.0.0.1:9", True), ("spy:///dev/ttyUSB0?file=/tmp/all", False),
        ("socket://192.168.7.1:22", False), ("/dev/ttyUSB0?logging=debug", False),
        ("/dev/serial/by-id/../../../etc/passwd", False), ("/etc/passwd", False),
        ("rfc2217://quay.example:1", False), ("/dev/ttyUSB0\n", False), ("", False),
    ],
)  # fmt: skip
def test_only_lines_of_this_machine_or_named_by_its_keeper_are_opened(settings, port, may):
    settings.LINES = ["socket://127.0.0.1:9"]
    assert lines_here.may_be(port) is may


def test_a_page_chooses_among_the_lines_there_are(bench, db, settings, tmp_path):
    for name in ("ttyUSB0", "serial/by-id/usb-scale", "sda", "ttyUSB0.bak"):
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).touch()
    settings.LINES = ["socket://192.168.7.30:7001"]
    found = lines_here.there(tmp_path)
    assert found == ["/dev/serial/by-id/usb-scale", "/dev/ttyUSB0", "socket://192.168.7.30:7001"]
    facts = {"name": "far", "kind": "scale", "resolution": "0.1", "drift_band": "0.3",
             "check_days": "30", "baud": "9600", "talk": "sends", "ask": "?", "tare": "0",
             "offset_u_mm": "0.5"}  # fmt: skip
    refused = bench.post("/instruments/new/", facts | {"port": "socket://192.168.7.1:22"})
    assert faults(refused) == {"port"}
    for word in ("?\nrm", "\x1b"):
        assert "ask" in faults(bench.post("/instruments/new/", facts | {"ask": word}))
    assert not Instrument.objects.filter(name="far").exists()


def test_a_line_that_came_with_a_file_is_never_opened(bench, db, settings, monkeypatch):
    settings.LINES = []
    spied = Instrument.objects.create(
        name="spy", kind="scale", resolution=0.1, drift_band=0.3, ask="a\r\nb", tare="\n",
        port="spy:///dev/null?file=/tmp/kentrobar-spied",
    )  # fmt: skip
    watches = {}
    reader._follow_instruments(watches)
    assert watches == {}
    assert (reader.wiring(spied).ask, reader.wiring(spied).tare) == ("ab", "")
    assert "no line of this machine" in said(bench.get(f"/live/{spied.pk}/"))
