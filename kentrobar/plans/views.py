"""The Plan view and what surrounds it. Every change answers with the same board partial."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from django.contrib import messages
from django.core.paginator import Paginator
from django.db.models import Func, IntegerField
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.utils.formats import date_format
from django.utils.text import slugify
from django.views.decorators.http import require_POST, require_safe

from kentrobar.core.errors import DocumentError
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.io.plans import dump_plan, load_plan
from kentrobar.core.quantities import FIGURES, READ
from kentrobar.frames import fitted
from kentrobar.frames.figures import Figures
from kentrobar.frames.models import Frame
from kentrobar.stock import shelf
from kentrobar.ui.forms import first_fault
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request
from kentrobar.ui.search import Found, holding, wanted_of
from kentrobar.ui.undo import remove

from . import desk, edits, regions
from .board import Board
from .comparison import MOST_COMPARED, Compared, differences
from .edits import Done, EditError
from .forms import NameForm, PieceForm, TargetForm, UploadForm
from .hand import HOLD, Hand
from .models import Plan, newest_of
from .slots import in_words
from .state import PlanState

PLANS_A_PAGE = 40
# Counted by the database, which need not hand out every plan whole; one that is odd counts as well.
PIECES = Func(
    "content",
    template="jsonb_array_length(jsonb_path_query_array(%(expressions)s, '$.pieces[*]'))",
    output_field=IntegerField(),
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class PlanRow:
    """A plan in the list."""

    pk: int
    href: str
    name: str
    frame_href: str
    frame: str
    player: str
    pieces: int
    changed: str


@require_safe
def index(request: Request) -> HttpResponse:
    """All plans, last changed first, found by name, frame or owner."""
    wanted = wanted_of(request.GET.get("q"))
    called = ("name", "frame__model", "frame__serial", "frame__player__name")
    known = Plan.live.select_related("frame__player").defer("content").annotate(count=PIECES)
    plans = holding(known, wanted, *called)
    pages = (Found if wanted else Paginator)(plans, PLANS_A_PAGE)
    page = pages.get_page(request.GET.get("page"))
    rows = [
        PlanRow(
            plan.pk, plan.get_absolute_url(), plan.name, plan.frame.get_absolute_url(),
            str(plan.frame), str(plan.frame.player or ""), plan.count,
            date_format(timezone.localtime(plan.changed_at), "j M Y, H:i"),
        )
        for plan in page
    ]  # fmt: skip
    return render(request, "plans/index.html", {"page": page, "rows": rows, "wanted": wanted})


@require_safe
def show(request: Request, pk: int) -> HttpResponse:
    plan = _plan(pk)
    board = _board(request, plan, plan.state(), pick=request.GET.get("pick"))
    return _page(request, board)


@require_safe
def board(request: Request, pk: int) -> HttpResponse:
    """The board alone, with another piece picked up."""
    plan = _plan(pk)
    board = _board(request, plan, plan.state(), pick=request.GET.get("pick"))
    if "version" in request.GET and _number(request.GET["version"]) < plan.version:
        board.said = "Changed in another window meanwhile: this is how it stands now."
    return _answer(request, board)


@require_POST
def edit(request: Request, pk: int, name: str) -> HttpResponse:
    """Slide, cut, mirror, put on … With ``preview`` the board answers and nothing is kept."""
    if name not in edits.EDITS:
        raise Http404(name)
    posted, hand = request.POST.dict(), _hand(request)
    if name == "put":
        parts = _plan(pk).frame.all_parts()
        hand.noted_g = {part.kind: part.mass_g for part in parts if part.was_on(None)}
    elif name == "foam":
        Frame.objects.filter(plans=pk).update(is_foam=True)

    def change(state: PlanState, outline: Outline) -> Done:
        # All at once: the board asks for every tape.
        hand.rolls(state.tapes)
        return edits.EDITS[name](state, outline, posted, hand)

    return _changed(request, pk, change, keep=not posted.get("preview"), hand=hand)


@require_POST
def piece(request: Request, pk: int) -> HttpResponse:
    """The form of the piece in hand."""
    plan = _plan(pk)
    state, outline = plan.state(), plan.frame.outline()
    pick = request.POST.get("pick", "")
    held = state.piece(pick)
    if held is None:
        return _refused(request, plan, state, "That piece is no longer on the plan. Pick another.")
    request.session[HOLD] = "piece-hold" in request.POST
    form = PieceForm(held, outline, request.POST, _hand(request, plan.frame))
    form.full_clean()
    changed = form.changed
    if changed is None:
        board = _board(request, plan, state, pick=pick, piece_form=form)
        board.said, board.was_refused = "Not saved yet: look at the marked box.", True
        return _answer(request, board, 422)
    return _changed(
        request,
        pk,
        lambda state, outline: edits.change_piece(state, outline, changed, form.read_as),
        stuck=form.stuck,
    )


@require_POST
def target(request: Request, pk: int, name: str) -> HttpResponse:
    """One target, as typed in its vial."""
    if name not in READ:
        raise Http404(name)
    plan = _plan(pk)
    state, outline = plan.state(), plan.frame.outline()
    pick = request.POST.get("pick")
    by_set = Board(plan, state, outline).by_set.targets.get(name)
    form = TargetForm(name, state, outline, request.POST, by_set)
    if not form.is_valid():
        board = _board(request, plan, state, pick=pick, target_form=form)
        board.said, board.was_refused = first_fault(form, "target"), True
        return _answer(request, board, 422)
    chosen = form.cleaned_data["target"]
    words = (form.data.get(f"{name}-target") or "").strip() or "none"
    label = f"Target for {FIGURES[name].title.lower()}: {words}"

    def change(state: PlanState, outline: Outline) -> Done:
        after = replace(state, targets=replace(state.targets, **{name: chosen}))
        return edits.change_targets(state, after, label, pick)

    return _changed(request, pk, change)


@require_POST
def rebase(request: Request, pk: int) -> HttpResponse:
    """Stand on the frame's newest readings in the plan's condition."""
    plan = _plan(pk)
    newest = desk.newest(plan)
    if newest is None:
        raise Http404("no complete readings")

    def change(state: PlanState, outline: Outline) -> Done:
        now = fitted.now(plan.frame, newest, without=(plan.pk, *state.carries))
        after = replace(state, measured=now.measured, condition=newest.condition)
        return edits.change_targets(
            state, after, "Take the newest readings", request.POST.get("pick")
        )

    return _changed(request, pk, change)


@require_POST
def undo(request: Request, pk: int) -> HttpResponse:
    return _walked(request, pk, desk.undo)


@require_POST
def redo(request: Request, pk: int) -> HttpResponse:
    return _walked(request, pk, desk.redo)


@require_POST
def rename(request: Request, pk: int) -> HttpResponse:
    """Give a plan another name; a name changed meanwhile elsewhere is not overwritten."""
    plan = _plan(pk)
    form = NameForm(request.POST)
    if not form.is_valid():
        messages.error(request, first_fault(form, "name"))
    elif form.cleaned_data["was"] != plan.name and form.cleaned_data["name"] != plan.name:
        messages.error(
            request, f"Not renamed: another window called this plan “{plan.name}” meanwhile."
        )
    else:
        Plan.objects.filter(pk=pk).update(name=form.cleaned_data["name"])
    return redirect(plan)


@require_POST
@stored_once
def create(request: Request, frame_pk: int) -> HttpResponse:
    frame = get_object_or_404(Frame.live, pk=frame_pk)
    condition = request.POST.get("condition", "")
    if condition in dict(frame.conditions()):
        found, assumed = frame.with_usual(condition)
        if found.is_complete:
            if assumed:
                words = f"Planned {found.label}, with {in_words(assumed)}."
                messages.info(request, f"{words} Note what is on the frame to be surer.")
            return redirect(desk.start(frame, found, request.user))
    figures, usual = frame.figures(), frame.usual_condition()
    complete = [one for one in figures if one.is_complete] or figures
    same = [one for one in complete if one.condition == usual]
    # An incomplete baseline can be planned on, and the plan says so.
    base = next(iter(same or complete), Figures(usual))
    return redirect(desk.start(frame, base, request.user))


@require_POST
@stored_once
def copy(request: Request, pk: int) -> HttpResponse:
    return redirect(desk.copy(_plan(pk), request.user))


@require_POST
def delete(request: Request, pk: int) -> HttpResponse:
    plan = _plan(pk)
    if any(one.plan == pk and one.off_at is None for one in fitted.fittings(plan.frame)):
        messages.error(
            request, f"{plan.name} is on the frame: take it off on its bench sheet first."
        )
        return redirect(plan)
    remove(request, plan, plan.name)
    return redirect(plan.frame)


@require_safe
def download(request: Request, pk: int) -> HttpResponse:
    """The plan as a ``kentrobar-plan/1`` file."""
    plan = _plan(pk)
    text = json.dumps(
        dump_plan(plan.to_plan(shelf.rolls(plan.state().tapes))), indent=1, ensure_ascii=False
    )
    name = slugify(f"{plan.frame} {plan.name}") or "plan"
    return HttpResponse(
        text + "\n",
        content_type="application/json; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="{name}.json"'},
    )


@require_POST
@stored_once
def upload(request: Request, frame_pk: int | None = None) -> HttpResponse:
    """A plan from a file: onto a frame, or with a frame of its own."""
    frame = get_object_or_404(Frame.live, pk=frame_pk) if frame_pk else None
    back = redirect(frame) if frame else redirect("plans")
    form = UploadForm(request.POST, request.FILES)
    if not form.is_valid():
        messages.error(request, f"Not read: {first_fault(form, 'file')}")
        return back
    file_name = form.file_name
    try:
        document = load_plan(form.cleaned_data["file"])
    except DocumentError as fault:
        messages.error(request, f"Not read: {file_name}: {fault}")
        return back
    stem = file_name.rsplit(".", 1)[0][:60] or "Plan from a file"
    try:
        plan = desk.from_document(document, frame, stem, request.user)
    except EditError as refused:
        messages.error(request, f"Not read: {file_name}: {refused}")
        return back
    return redirect(plan)


@require_safe
def compare(request: Request) -> HttpResponse:
    """Two to six plans side by side: drawings, vials, how each differs from the first."""
    keys = dict.fromkeys(_number(text) for text in request.GET.getlist("p"))
    known = Plan.live.select_related("frame").in_bulk([key for key in keys if key])
    picked = [known[key] for key in keys if key in known][:MOST_COMPARED]
    if len(picked) < 2:
        messages.error(request, "Tick two plans to compare, or up to six.")
        return redirect("plans")
    boards = [Board(plan, plan.state(), plan.frame.outline()) for plan in picked]
    kinds = {board.outline.kind for board in boards}
    choices = Plan.live.select_related("frame").filter(frame__in=[p.frame_id for p in picked])[:30]
    return render(
        request,
        "plans/compare.html",
        {
            "boards": list(zip("ABCDEF", boards, strict=False)),
            "compared": Compared(
                [board.plan for board in boards], [board.prediction for board in boards]
            ),
            "differences": differences(boards),
            "choices": choices,
            "kind": kinds.pop() if len(kinds) == 1 else None,
        },
    )


# --- helpers -------------------------------------------------------------------------------------


def _plan(pk: int) -> Plan:
    return get_object_or_404(Plan.live.select_related("frame"), pk=pk)


def _hand(request: Request, frame: Frame | None = None) -> Hand:
    return Hand(bool(request.session.get(HOLD)), frame.holes_mm if frame else ())


def _seen(request: Request) -> int:
    """The version of the plan the person had before them."""
    return _number(request.POST.get("version", ""))


def _number(text: str | None) -> int:
    """A whole number from an address or a form; 0 for anything else."""
    return int(text) if text and text.isdecimal() and len(text) < 18 else 0


def _board(
    request: Request,
    plan: Plan,
    state: PlanState,
    labels: tuple[str, str] | None = None,
    **more: Any,
) -> Board:
    back, forward = labels or desk.labels(plan)
    more.setdefault("hand", _hand(request, plan.frame))
    return Board(plan, state, plan.frame.outline(), undo=back, redo=forward, **more)


def _answer(request: Request, board: Board, status: int = 200) -> HttpResponse:
    """What of the board changed, for the script; for a browser without it, the whole page again."""
    if request.htmx:
        context = {"board": board, "regions": regions.changed(request, board)}
        return render(request, "plans/_changed.html", context, status=status)
    if status == 200 and not board.was_refused:
        return redirect(
            f"{board.plan.get_absolute_url()}{f'?pick={board.pick}' if board.pick else ''}"
        )
    return _page(request, board, status)


def _page(request: Request, board: Board, status: int = 200) -> HttpResponse:
    """The whole Plan view, with the frame's other plans to compare with."""
    others = [plan for plan in newest_of(board.plan.frame) if plan != board.plan][:12]
    context = {"board": board, "plan": board.plan, "others": others, "kind": board.outline.kind}
    context |= {"regions": regions.whole(request, board)}
    context |= {"tapes": shelf.tape_names(), "fillings": shelf.handle_names()}
    return render(request, "plans/plan.html", context, status=status)


def _changed(
    request: Request, pk: int, change: Callable[[PlanState, Outline], Done], keep: bool = True,
    stuck: dict[str, tuple[str, str]] | None = None, hand: Hand | None = None,
) -> HttpResponse:  # fmt: skip
    """Make a change and answer with the board; with ``keep`` off, only show what it would come to.
    ``stuck`` are boxes of the piece's form that are still to be put right."""
    try:
        if keep:
            outcome = desk.change(pk, _seen(request), change, request.user)
        else:
            outcome = desk.preview(_plan(pk), _seen(request), change)
    except Plan.DoesNotExist:
        raise Http404("no such plan") from None
    except EditError as refused:
        plan = _plan(pk)
        return _refused(request, plan, plan.state(), str(refused))
    return _outcome(request, outcome, request.POST.get("pick"), stuck, hand)


def _walked(
    request: Request, pk: int, walk: Callable[[int, int], desk.EditOutcome]
) -> HttpResponse:
    try:
        outcome = walk(pk, _seen(request))
    except Plan.DoesNotExist:
        raise Http404("no such plan") from None
    return _outcome(request, outcome, pick=request.POST.get("pick"))


def _outcome(
    request: Request, outcome: desk.EditOutcome, pick: str | None = None,
    stuck: dict[str, tuple[str, str]] | None = None, hand: Hand | None = None,
) -> HttpResponse:  # fmt: skip
    hand = hand or _hand(request)
    hand.holes_mm = outcome.plan.frame.holes_mm
    board = _board(
        request,
        outcome.plan,
        outcome.state,
        outcome.labels,
        pick=outcome.pick or pick,
        before=outcome.before,
        hand=hand,
    )
    board.said, board.was_refused = outcome.said, outcome.was_refused
    if board.piece_form and stuck:
        board.piece_form.stuck = stuck
    return _answer(request, board, 409 if outcome.was_refused else 200)


def _refused(request: Request, plan: Plan, state: PlanState, why: str) -> HttpResponse:
    board = _board(request, plan, state, pick=request.POST.get("pick"))
    board.said, board.was_refused = why, True
    return _answer(request, board, 422)
