"""Every piece in every hand: what each kind does, says and shows, held against a kept list.

The list, ``tests/data/pieces.txt``, was read through by eye and worked out by hand where a line
holds figures. ``python -m tests.core.test_every_piece`` writes it again after a change that is
meant; then read what changed.
"""

from dataclasses import replace

import pytest

from kentrobar.core.pieces import parts, rolls, starters, uncertain
from kentrobar.core.pieces.bevels import Bevels
from kentrobar.core.pieces.piece import Piece, piece_faults
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.point import Point
from kentrobar.core.pieces.sites import usual_places
from kentrobar.core.pieces.sleeve import Sleeve
from kentrobar.core.pieces.strings import Strings
from kentrobar.core.pieces.strip import Strip, tape_minutes, tape_title
from kentrobar.core.pieces.throat import Throat
from kentrobar.core.pieces.work import OnShelf, WorkPlace
from kentrobar.core.reader import Reader, read_by
from tests.core.frames import SHOAL, TERN
from tests.core.kept import keep, kept, lines, written

KEPT = "pieces.txt"
ROLL = rolls.PerLength(0.0039, 0.0001, 5)
SHELF = {
    "lead tape 6 mm": OnShelf("tape", ROLL, 1.0, 0, 6.35),
    "lead sheet": OnShelf("sheet", None, 1.0, 0, 8.0),
    "silicone": OnShelf("silicone", cure_hours=24),
    "putty": OnShelf("putty"),
}
IN_INCHES = Reader(length="in")
HOLES = (0.0, 30.0, 60.0, 90.0, 150.0, 220.0, 300.0)

PIECES = {
    "sides": (TERN, Strip(mass_g=3, clock=3, length_mm=76.2, line="face", mirror=True,
                          material="lead tape 6 mm", layers=1)),
    "tip": (TERN, Strip(mass_g=1.2, clock=12, length_mm=120, line="edge", mirror=False,
                        material="tungsten tape", layers=2)),
    "inside": (SHOAL, Strip(mass_g=2, clock=8.5, length_mm=50, line="inner", layers=3)),
    "sheet": (SHOAL, Strip(mass_g=2.5, clock=10.25, length_mm=60, line="face", mirror=True,
                           material="lead sheet")),
    "guard": (TERN, Strip(mass_g=-1.5, clock=12, length_mm=114, line="edge",
                          material="bumper guard, trimmed")),
    "throat": (TERN, Throat(mass_g=1, from_mm=225, to_mm=290, material="lead tape 6 mm", layers=2)),
    "putty": (TERN, Plug(mass_g=5, from_mm=8, to_mm=32, material="putty")),
    "silicone": (TERN, Plug(mass_g=12.5, from_mm=20, to_mm=150, material="silicone")),
    "lead plug": (SHOAL, Plug(mass_g=4, from_mm=10, to_mm=20, material="lead")),
    "grip": (TERN, Sleeve(mass_g=5.5, from_mm=0, to_mm=190, material="overgrip")),
    "lead wrap": (SHOAL, Sleeve(mass_g=3, from_mm=0, to_mm=40, material="lead sheet")),
    "strings": (TERN, Strings(mass_g=16.5, material="strings")),
    "no strings": (TERN, Strings(mass_g=-16.5)),
    "dampener": (TERN, Point(mass_g=2.5, x_mm=354, material="dampener")),
    "bevels": (TERN, Bevels(mass_g=4.2, from_mm=83, to_mm=185, count=4, layers=1,
                            material="lead tape 6 mm")),
    "cap": (TERN, Plug(mass_g=5, from_mm=0, to_mm=25, material="butt cap, heavier")),
    "lighter cap": (TERN, Plug(mass_g=-3, from_mm=0, to_mm=25, material="butt cap")),
    "thinner strings": (TERN, Strings(mass_g=-1.5, material="thinner strings")),
    "module": (TERN, Point(mass_g=3, x_mm=512, y_mm=-121, material="test module")),
    "clamp": (SHOAL, Point(mass_g=20, x_mm=200, y_mm=-30, z_mm=8)),
}  # fmt: skip
FAULTY = {
    "off the tip": (TERN, Point(mass_g=1, x_mm=687, y_mm=-129, z_mm=172)),
    "off the butt": (TERN, Point(mass_g=1, x_mm=-1, y_mm=129, z_mm=-172)),
    "off the handle": (TERN, Plug(mass_g=1, from_mm=-2, to_mm=200)),
    "end before start": (TERN, Sleeve(mass_g=1, from_mm=50, to_mm=40)),
    "a throat too low": (TERN, Throat(mass_g=1, from_mm=100, to_mm=400)),
    "a paddle's throat": (SHOAL, Throat(mass_g=1, from_mm=140, to_mm=160)),
    "a paddle's strings": (SHOAL, Strings(mass_g=1)),
    "no such hour": (TERN, Strip(mass_g=1, clock=30, length_mm=900, line="face")),
    "once round and more": (SHOAL, Strip(mass_g=1, clock=3, length_mm=2000, line="edge")),
    "too heavy": (TERN, Point(mass_g=1000.5, x_mm=1)),
    "too light": (TERN, Point(mass_g=-1000.5, x_mm=1)),
    "layers": (TERN, Strip(mass_g=1, clock=3, length_mm=50, line="edge", layers=21)),
    "no layer": (TERN, Strip(mass_g=1, clock=3, length_mm=50, line="edge", layers=0)),
    "long note": (TERN, Point(mass_g=1, x_mm=1, note="x" * 201, site="a\tb")),
}


def shaped(piece, outline):
    """A shape's runs by their number of spots, their ends and their middle."""
    seen = piece.shape(outline)
    runs = [(len(run), run[0], run[len(run) // 2], run[-1]) for run in seen.runs]
    return [written(one, 2) for one in (runs, seen.width_mm, seen.badges, seen.ends)]


def of_piece(piece: Piece, outline):
    at = WorkPlace(outline, SHELF, HOLES)
    yield "body", piece.unit(outline)
    with read_by(IN_INCHES):
        in_inches = piece.where()
    yield "called", [piece.name(outline), piece.where(), in_inches]
    yield "cut", [piece.tape(), piece.strips(), piece.spread(), piece.order]
    yield "drawn", shaped(piece, outline)
    yield "put on", piece.put_on(at) if piece.mass_g > 0 else piece.taken_off(at)
    yield "taken off", replace(piece, mass_g=-abs(piece.mass_g)).taken_off(at)
    yield "cautions", piece.cautions()
    alike = [piece.sides_alike, piece.is_tape, piece.is_at_the_hand, piece.is_dosed,
             piece.can_lie_elsewhere]  # fmt: skip
    yield "is", alike
    yield "slid", [piece.slid(outline, mm) for mm in (5.0, -7.5, 2000.0)]
    yield "dragged", [piece.dragged(outline, x, y) for x, y in ((300, 80), (650, -3), (-9, 500))]
    yield "cut to", [piece.cut(outline, mm) for mm in (6.35, -3.0, -500.0, 5000.0)]
    ends = [piece.dragged_end(outline, end, x, 60) for end in ("start", "end") for x in (30, 400)]
    yield "ends", ends
    yield "turned", [piece.mirrored(), piece.on_next_line(outline)]
    yield "moves", [piece.moved_to(verb) for verb in ("Slide", "Cut", "Mirror", "Move")]
    wider = replace(PIECES["sides"][1], length_mm=152.4)
    yield "tape", piece.with_tape_of(wider, 1.5).mass_g
    roll = {"lead tape 6 mm": ROLL}
    yield "u", [*uncertain.error_of(piece, roll), uncertain.mass_u(piece, roll)]


def of_frame(outline):
    every = (*starters.PUT_ON, *starters.TAKE_OFF, *starters.SWAP)
    for one in starters.for_kind(every, outline):
        yield one.name, starters.start(one.name, outline, ())
    yield "second tape", starters.next_tape(outline, [starters.next_tape(outline, ())])
    yield "sites", list(usual_places(outline))
    for kind, part in parts.PARTS.items():
        yield kind, [parts.usual_piece(kind, outline, 10.0), part.mass_u]


def of_tape():
    for name in ("sides", "sheet", "tip"):
        outline, piece = PIECES[name]
        yield name, [tape_title(piece, WorkPlace(outline)), tape_minutes(piece)]


SUBJECTS = {
    **{
        name: lambda o=outline, p=piece: of_piece(p, o) for name, (outline, piece) in PIECES.items()
    },
    "faults": lambda: ((k, list(piece_faults(p, o))) for k, (o, p) in FAULTY.items()),
    "racket": lambda: of_frame(TERN),
    "paddle": lambda: of_frame(SHOAL),
    "tape": of_tape,
}


@pytest.mark.parametrize("subject", SUBJECTS)
def test_every_piece_is_as_kept(subject):
    assert lines(subject, SUBJECTS) == kept(KEPT, subject)


if __name__ == "__main__":
    keep(KEPT, SUBJECTS)
