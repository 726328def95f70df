"""The board of the Plan in regions: every piece, figure and box is one, so that an answer to a
moved piece carries what moved."""

from __future__ import annotations

from dataclasses import dataclass

from django.http import HttpRequest
from django.middleware.csrf import get_token
from django.urls import reverse
from django.utils.html import format_html
from django.utils.safestring import SafeString, mark_safe
from django.utils.translation import gettext

from kentrobar.core.reader import the_reader
from kentrobar.core.words.amounts import change_of
from kentrobar.ui.drawing import bench as drawing
from kentrobar.ui.drawing.shown import drawing as drawing_region
from kentrobar.ui.regions import Region, answer, drawn, held_by, marker

from .board import Board, FigureVial
from .forms import TypedBox

HIDDEN = marker("hidden")
"""Where every form of the board says whom it comes from and which version it was shown: that of an
unchanged region would be older, which the script does not look at."""


@dataclass(frozen=True, slots=True)
class Top:
    """The line over the bench."""

    plan: int
    said: str
    was_refused: bool
    is_empty: bool
    is_level: bool
    undo: str
    redo: str


def whole(request: HttpRequest, board: Board) -> SafeString:
    """The board of a page."""
    return _filled(request, board, board_region(board).html())


def changed(request: HttpRequest, board: Board) -> SafeString:
    """What of the board the one who asks does not hold yet."""
    return _filled(request, board, answer(board_region(board), held_by(request)))


def _filled(request: HttpRequest, board: Board, html: str) -> SafeString:
    hidden = format_html(
        '<input type="hidden" name="csrfmiddlewaretoken" value="{}">'
        '<input type="hidden" name="version" value="{}">'
        '<input type="hidden" name="pick" value="{}">',
        get_token(request), board.plan.version, board.pick or "",
    )  # fmt: skip
    return mark_safe(html.replace(HIDDEN, hidden))  # out of templates and format_html


def board_region(board: Board) -> Region:
    """The whole of it; its forms say HIDDEN where who asks is to be said."""
    plan = board.plan.pk
    start = format_html(
        '<div id="board" class="board" data-board="{}" data-drag="{}">',
        reverse("plan-board", args=[plan]), reverse("plan-edit", args=[plan, "drag"]),
    )  # fmt: skip
    hand = format_html(
        '<form id="hand" method="post" action="{}">{}</form>',
        reverse("plan-undo", args=[plan]), HIDDEN,
    )  # fmt: skip
    return Region("board", (
        start, _state(board), hand,
        _section("panel bench-panel", gettext("Bench")), _top(board), _drawing(board),
        _palette(board), '</section><div class="beside">',
        _section("vials", gettext("Figures")), *(_vial(board, one) for one in board.vials),
        "</section>", _hand(board), "</div>",
        _section("panel table-panel pieces", gettext("Pieces")), _table(board), "</section></div>",
    ))  # fmt: skip


def _section(classes: str, label: str) -> str:
    return format_html('<section class="{}" aria-label="{}">', classes, label)


def _state(board: Board) -> Region:
    state = format_html(
        '<div id="board-state" hidden data-version="{}" data-pick="{}" data-heard="{}"></div>',
        board.plan.version, board.pick or "", board.heard,
    )  # fmt: skip
    return Region("board-state", (state,))


def _top(board: Board) -> Region:
    top = Top(
        board.plan.pk, str(board.said or ""), board.was_refused, not board.rows, board.is_level,
        str(board.undo or ""), str(board.redo or ""),
    )  # fmt: skip
    return Region("bench-top", (drawn("plans/board/top.html", top=top),))


def _drawing(board: Board) -> Region:
    bench = drawing.bench(board.outline, board.prediction, board.axis, board.pick)
    return drawing_region(bench, gettext("Bench"), is_live=True)


def _palette(board: Board) -> str:
    kinds = {"put_on": board.put_on, "take_off": board.take_off, "swap": board.swap}
    shown = {name: tuple(starters) for name, starters in kinds.items()}
    return drawn("plans/board/palette.html", plan=board.plan.pk, **shown)


def _vial(board: Board, vial: FigureVial) -> Region:
    axis = board.axis if vial.name == "swing_kgcm2" else None
    head = drawn("plans/board/vial_head.html", label=vial.label, axis=axis)
    aim = drawn(
        "plans/board/target.html", name=vial.name, label=vial.label, plan=board.plan.pk,
        value=vial.aim, is_known=vial.is_known, has_fault=bool(vial.fault), hidden=HIDDEN,
        set_href=vial.set_href,
    )  # fmt: skip
    key = f"vial-{vial.name}"
    return Region(key, (
        f'<div class="panel vial-card" id="{key}"><div class="vial-head">{head}',
        Region(f"aim-{vial.name}", (aim,)), "</div>",
        Region(f"now-{vial.name}", (drawn("plans/board/vial.html", v=vial),)), "</div>",
    ))  # fmt: skip


def _hand(board: Board) -> Region:
    label = gettext("Piece in hand")
    start = format_html('<section class="panel in-hand" id="in-hand" aria-label="{}">', label)
    # Read by keys too: with no piece in hand nothing in it takes them.
    reads = format_html(
        '<section class="panel in-hand" id="in-hand" aria-label="{}" tabindex="0">', label
    )
    if board.picked is None or board.piece_form is None:
        empty = drawn(
            "plans/board/hand_empty.html", plan=board.plan.pk, frame=board.plan.frame_id,
            recoil=board.recoil, spin=board.spin, points=board.in_points,
            assumed=tuple(board.assumed), newer=board.since[0], counted=board.since[1],
            short=tuple(board.short), notices=_told(board.notices),
            standings=tuple(board.standings),
        )  # fmt: skip
        return Region("in-hand", (f"{reads}{empty}</section>",))
    plan = board.plan.pk
    name = drawn("plans/board/hand_name.html", number=board.picked_number)
    put_down = drawn("plans/board/hand_put_down.html", plan=plan)
    moves = drawn("plans/board/hand_moves.html", plan=plan, kind=board.picked.kind, **board.steps)
    form = format_html(
        '<form id="piece-form" class="piece-form" method="post" action="{}" novalidate>{}',
        reverse("plan-piece", args=[board.plan.pk]), HIDDEN,
    )  # fmt: skip
    tail = drawn(
        "plans/board/hand_tail.html", plan=board.plan.pk, cut_words=board.cut_words,
        ways=tuple(board.other_ways), notices=_told(board.picked_notices),
        needs_cavity=board.needs_cavity,
    )  # fmt: skip
    send = format_html(
        '<button class="btn btn-outline-primary no-script">{}</button></form>', gettext("Change")
    )
    boxes = [_box(box) for box in board.piece_form.boxes()]
    return Region("in-hand", (
        f'{start}<div class="hand-head">', Region("hand-name", (name,)), f"{put_down}</div>",
        Region("hand-moves", (moves,)), form, *boxes, send, Region("hand-tail", (tail,)),
        "</section>",
    ))  # fmt: skip


def _box(box: TypedBox) -> Region:
    key = f"box-{box.id}"
    if box.widget:
        return Region(key, (f'<div id="{key}">{box.widget}</div>',))
    return Region(key, (drawn("plans/board/box.html", box=box),))


def _told(notices: list) -> tuple[tuple[str, str], ...]:
    return tuple((one.code, one.text) for one in notices)


def _table(board: Board) -> Region:
    mass, plan = the_reader().mass, board.plan.pk
    heads = drawn(
        "plans/board/heads.html", mass_unit=mass, balance_unit=change_of("balance_mm", 0.0).unit
    )
    rows: list[str | Region] = [
        Region(
            f"row-{row.number}",
            (drawn("plans/board/row.html", row=row, plan=plan, mass_unit=mass),), "table",
        )
        for row in board.rows
    ]  # fmt: skip
    total: list[str | Region] = []
    if rows:
        facts = drawn("plans/board/total.html", total=board.total)
        total.append(Region("total", (facts,), "table"))
    else:
        rows.append(drawn("plans/board/nothing_on.html"))
    return Region("piece-list", (f"{heads}<tbody>", *rows, "</tbody>", *total, "</table>"))
