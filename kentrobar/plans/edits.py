"""What can be done to a plan, by mouse, key or form. Each edit turns one state into the next.

An edit is asked for by name with a handful of posted values. It knows nothing of versions, undo or
pages; ``desk.py`` keeps what comes out.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

from kentrobar.core.errors import OnAlreadyError
from kentrobar.core.frame.condition import strings_in
from kentrobar.core.frame.predict import predict
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces import starters
from kentrobar.core.pieces.bevels import in_place_of
from kentrobar.core.pieces.cutting import wanted, wanted_of
from kentrobar.core.pieces.piece import Piece, Verb, piece_faults
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.sites import Access

from .hand import Hand
from .state import TARGETS, PlanState, with_ids

MOST_PIECES = 60
"""On one plan."""


class EditError(ValueError):
    """The edit cannot be done; the message says why."""


@dataclass(frozen=True, slots=True)
class Done:
    """The state after an edit. ``pick`` is the piece in hand afterwards; ``touches`` what was
    changed (a piece's id, ``TARGETS``, or None for something new). Edits of one ``gesture`` in a
    row are taken back by one undo."""

    state: PlanState
    label: str
    pick: str | None
    touches: str | None
    gesture: str = ""


Posted = Mapping[str, str]
Edit = Callable[[PlanState, Outline, Posted, Hand], Done]


def put(state: PlanState, outline: Outline, posted: Posted, hand: Hand) -> Done:
    """Lay a new piece from the palette."""
    try:
        access, what = Access(strings_in(outline, state.condition)), posted.get("what", "")
        laid = starters.start(what, outline, state.pieces, access, hand.noted_g)
    except KeyError:
        raise EditError("There is no such piece for this frame.") from None
    except OnAlreadyError as error:
        raise EditError(f"{error}.") from None
    if len(state.pieces) + len(laid) > MOST_PIECES:
        raise EditError("Sixty pieces are on this plan: take one off first.")
    after = replace(state, pieces=with_ids((*state.pieces, *(hand.laid(piece) for piece in laid))))
    piece = after.pieces[-1]
    verb = "Swap" if len(laid) > 1 else "Take off" if piece.mass_g < 0 else "Put on"
    return Done(_checked(after, outline, piece), f"{verb}: {_what(piece, outline)}", piece.id, None)


def found_foam(state: PlanState, outline: Outline, posted: Posted, hand: Hand) -> Done:
    """The handle has no cavity: what was to go there lies along the bevels, as many grams as low as
    it was."""
    moved = tuple(
        hand.laid(in_place_of(piece, outline))
        if isinstance(piece, Plug) and piece.needs_cavity
        else piece
        for piece in state.pieces
    )
    if moved == state.pieces:
        raise EditError("Nothing of this plan needs a hollow handle.")
    after = replace(state, pieces=moved)
    return Done(_checked(after, outline), "Foam in the handle: under the grip instead", None, None)


def slide(state: PlanState, outline: Outline, posted: Posted, hand: Hand) -> Done:
    return _moved(state, outline, posted, hand, "Slide", lambda p: p.slid(outline, _mm(posted)))


def cut(state: PlanState, outline: Outline, posted: Posted, hand: Hand) -> Done:
    return _moved(state, outline, posted, hand, "Cut", lambda p: p.cut(outline, _mm(posted)))


def mirror(state: PlanState, outline: Outline, posted: Posted, hand: Hand) -> Done:
    return _moved(state, outline, posted, hand, "Mirror", lambda p: p.mirrored())


def line(state: PlanState, outline: Outline, posted: Posted, hand: Hand) -> Done:
    return _moved(state, outline, posted, hand, "Move", lambda p: p.on_next_line(outline))


def drag(state: PlanState, outline: Outline, posted: Posted, hand: Hand) -> Done:
    x, y = _number(posted, "x"), _number(posted, "y")
    if posted.get("end"):
        return _moved(
            state,
            outline,
            posted,
            hand,
            "Cut",
            lambda p: p.dragged_end(outline, posted["end"], x, y),
        )
    return _moved(state, outline, posted, hand, "Slide", lambda p: p.dragged(outline, x, y))


def take_off(state: PlanState, outline: Outline, posted: Posted, hand: Hand) -> Done:
    """Remove a piece from the plan."""
    piece = _picked(state, posted)
    label = f"Clear piece {state.number(piece.id)}: {_what(piece, outline)}"
    rest = tuple(p for p in state.pieces if p.id != piece.id)
    return Done(_checked(replace(state, pieces=rest), outline), label, None, piece.id)


def recut(state: PlanState, outline: Outline, posted: Posted, hand: Hand) -> Done:
    """Cut the same grams another way: in other layers, of another length."""
    piece = _picked(state, posted)
    grams = wanted_of(piece)
    for way in hand.ways(piece, grams, outline):
        if f"{way.length_mm:.2f} {way.piece.layers or 1}" == posted.get("way", ""):
            label = f"Cut piece {state.number(piece.id)} another way"
            cut = wanted(way.piece, grams)
            after = _checked(state.with_piece(cut), outline, cut)
            return Done(after, label, piece.id, piece.id)
    raise EditError("The piece was changed meanwhile: look at its cut again.")


EDITS: dict[str, Edit] = {
    "put": put,
    "slide": slide,
    "cut": cut,
    "mirror": mirror,
    "line": line,
    "drag": drag,
    "clear": take_off,
    "recut": recut,
    "foam": found_foam,
}


def change_piece(state: PlanState, outline: Outline, changed: Piece, how: str) -> Done:
    """Replace a piece by what its form says."""
    label = f"Change piece {state.number(changed.id)}: {how or _what(changed, outline)}"
    after = _checked(state.with_piece(changed), outline, changed)
    return Done(after, label, changed.id, changed.id)


def replace_pieces(
    state: PlanState, outline: Outline, pieces: tuple[Piece, ...],
    label: str = "All pieces, by a program",
) -> Done:  # fmt: skip
    """All pieces at once."""
    if len(pieces) > MOST_PIECES:
        raise EditError(f"pieces: {len(pieces)} of them; a plan holds sixty.")
    for i, piece in enumerate(pieces):
        for field, reason in piece_faults(piece, outline):
            raise EditError(f"pieces[{i}].{field}: {reason}")
    after = replace(state, pieces=with_ids(pieces))
    return Done(_checked(after, outline), label, None, None)


def change_targets(state: PlanState, after: PlanState, label: str, pick: str | None) -> Done:
    return Done(after, label, pick, TARGETS)


def _moved(
    state: PlanState, outline: Outline, posted: Posted, hand: Hand, verb: Verb,
    move: Callable[[Piece], Piece],
) -> Done:  # fmt: skip
    piece = _picked(state, posted)
    moved = hand.settled(move(piece), piece, outline)
    if moved.tape() != piece.tape():
        # A hand that cuts it anew wants what it cuts; held, its grams are still what is wanted.
        moved = wanted(moved, wanted_of(piece) if hand.holds_grams else moved.mass_g)
    label = f"{verb} piece {state.number(piece.id)}{moved.moved_to(verb)}"
    gesture = "" if verb == "Mirror" else f"{verb} {piece.id}"
    after = _checked(state.with_piece(moved), outline, moved)
    return Done(after, label, piece.id, piece.id, gesture)


def _picked(state: PlanState, posted: Posted) -> Piece:
    piece = state.piece(posted.get("pick", ""))
    if piece is None:
        raise EditError("That piece is no longer on the plan. Pick another.")
    return piece


def _checked(state: PlanState, outline: Outline, piece: Piece | None = None) -> PlanState:
    if piece is not None:
        for field, reason in piece_faults(piece, outline):
            raise EditError(f"{field}: {reason}")
    try:
        predict(state.to_plan(outline))
    except ValueError as error:
        raise EditError(f"That cannot be: {error}.") from None
    return state


def _mm(posted: Posted) -> float:
    return min(max(_number(posted, "mm"), -500.0), 500.0)


def _number(posted: Posted, key: str) -> float:
    try:
        value = float(posted.get(key, ""))
    except ValueError:
        value = float("nan")
    if not abs(value) < 1e5:
        raise EditError(f"“{posted.get(key, '')}” is not a number of millimetres.")
    return value


def _what(piece: Piece, outline: Outline) -> str:
    return piece.material or piece.name(outline).lower()
