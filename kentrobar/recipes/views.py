"""The Recipes view: a wish, the sites it may use, and three ways to reach it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from django.contrib import messages
from django.db import transaction
from django.db.models import QuerySet
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST, require_safe

from kentrobar.core.frame.predict import Measured, predict
from kentrobar.core.io.clauses import EXAMPLES
from kentrobar.core.io.said import Heard
from kentrobar.core.io.wishes import read_goal
from kentrobar.core.numbers import nominal
from kentrobar.core.quantities import FIGURES, plain_figures
from kentrobar.core.reader import the_reader
from kentrobar.core.recipes.brief import plain_body
from kentrobar.frames import above, fitted
from kentrobar.frames.models import Frame
from kentrobar.plans.models import Plan
from kentrobar.shop.models import Settings
from kentrobar.ui import background
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request

from . import asked as asking
from . import hearing, likeness, shown, tasks
from .aims import pulled
from .asked import Asked, Base
from .forms import WishForm
from .hearing import LONGEST_SAID
from .lighter import lighter
from .limited import Limited
from .models import Wish
from .refusing import refuse
from .stroking import Striking


@require_safe
def show(request: Request, pk: int) -> HttpResponse:
    frame = _frame(pk)
    wish = _wish(request, frame)
    form = _form(request, frame, wish)
    return _page(request, frame, wish, form)


@require_POST
def wish(request: Request, pk: int) -> HttpResponse:
    """The wish as it stands in the form: kept, and searched for at once."""
    frame = _frame(pk)
    wish = _wish(request, frame)
    form = _form(request, frame, wish, posted=True)
    if not form.is_valid():
        return _page(request, frame, wish, form, 422, {"is_faulty": True})
    return _asked(request, frame, wish, form.wish(), form.limits())


@require_safe
def answer(request: Request, pk: int) -> HttpResponse:
    """The answer alone, asked for again while a search is at work."""
    frame = _frame(pk)
    wish = _wish(request, frame)
    return render(request, "recipes/_answer.html", _answer(request, frame, wish))


@require_POST
def stop(request: Request, pk: int) -> HttpResponse:
    frame = _frame(pk)
    wish = _wish(request, frame)
    background.stop(wish)
    if not request.htmx:
        return redirect(wish)
    return render(request, "recipes/_answer.html", _answer(request, frame, wish))


@require_safe
def pull(request: Request, pk: int) -> HttpResponse:
    """What a vial says while it is pulled."""
    frame = _frame(pk)
    name, at = (
        request.GET.get("figure", ""),
        request.GET.get(f"at-{request.GET.get('figure', '')}", ""),
    )
    if name not in FIGURES or not at.lstrip("-").isdecimal() or len(at) > 4:
        raise Http404("no such vial")
    wish = _wish(request, frame)
    asked = _content(frame, wish)
    axis = the_reader().axis_mm(frame.kind)
    old = asked.goals.get(name)
    words = pulled(name, int(at), old.tol if old else None, axis)
    goal = read_goal(name, words, frame.length_mm, axis, None)
    form = _form(request, frame, wish)
    return HttpResponse(
        f"{words} {form.said(name, goal)}", content_type="text/plain; charset=utf-8"
    )


@require_POST
def open_up(request: Request, pk: int) -> HttpResponse:
    """Allow what an unreachable wish would need, and search again."""
    frame = _frame(pk)
    wish = _wish(request, frame)
    openings = wish.found.openings if wish.found else ()
    index = request.POST.get("opening", "")
    if not index.isdecimal() or int(index) >= len(openings):
        messages.error(request, "The wish was changed meanwhile. Here is how it stands.")
        return redirect(wish)
    asked = _content(frame, wish)
    base = asking.base(frame, asked.base)
    sites = Limited.of(frame).sites(frame.outline(), base.state.condition, asked.places)
    others = asking.other_targets(frame, asked, base, the_reader().axis_mm(frame.kind))
    return _asked(request, frame, wish, asking.opened(asked, openings[int(index)], sites, others))


@require_POST
def say(request: Request, pk: int) -> HttpResponse:
    """A wish as the customer puts it, as goals of the figures and sites it means. What was said
    before goes with its sentence."""
    frame = _frame(pk)
    wish = _wish(request, frame)
    asked = _content(frame, wish)
    base = asking.base(frame, asked.base)
    text = request.POST.get("said", "").strip()[:LONGEST_SAID].replace("\0", "")
    heard = hearing.heard_of(frame, base, text)
    is_less = bool(asked.said) and "less" in request.POST
    if not (heard or is_less) or any(one.why for one in heard):
        more = {
            "said": text, "said_chips": _chips(frame, base, asked, heard),
            "said_fault": "" if heard else f"Say what is wanted: {EXAMPLES}.",
            "said_rest": ", ".join(one.clause for one in heard if one.is_taken),
            "is_faulty": True,
        }  # fmt: skip
        return _page(request, frame, wish, _form(request, frame, wish), 422, more)
    before = hearing.heard_of(frame, base, asked.said) if asked.said else ()
    asked = hearing.with_it(hearing.without(asked, before), heard, text)
    limits = Limited.of(frame)
    if any(one.is_hidden for one in heard):
        limits = replace(limits, hidden_only=True)
    return _asked(request, frame, wish, asked, limits)


def _chips(frame: Frame, base: Base, asked: Asked, heard: Sequence[Heard]) -> list[hearing.Chip]:
    places = [*asked.places, *(one.place for one in heard if one.place)]
    sites = Limited.of(frame).sites(frame.outline(), base.state.condition, places)
    return hearing.chips(heard, frame.outline(), sites)


def _said_before(frame: Frame, form: WishForm) -> dict[str, Any]:
    """What was said here, with what of it is still wished; or at the counter, where nothing is
    wished for yet and some of it can be taken: what cannot is asked about then."""
    asked = form.asked
    base = asking.base(frame, asked.base)
    if asked.said:
        heard = hearing.heard_of(frame, base, asked.said)
        stand = [one for one in heard if hearing.stands(one, asked)]
        said = ", ".join(one.clause for one in stand)
        return {"said": said, "said_chips": _chips(frame, base, asked, stand)}
    spoken = None if asked.goals else above.spoken_of(frame)
    if not spoken or len(spoken.text) > LONGEST_SAID:
        return {"said": ""}
    heard = hearing.heard_of(frame, base, spoken.text)
    return {"said": spoken.text if any(one.is_taken for one in heard) else ""}


@require_POST
def like(request: Request, pk: int) -> HttpResponse:
    """The figures of another frame, in the same condition, as the wish."""
    frame = _frame(pk)
    wish = _wish(request, frame)
    asked = _content(frame, wish)
    base = asking.base(frame, asked.base)
    other = get_object_or_404(
        Frame.live.filter(kind=frame.kind), pk=_number(request.POST.get("frame"))
    )
    figures = fitted.figures_now(other, base.state.condition)
    if not figures.is_complete:
        messages.error(request, likeness.lacking(other, figures))
        return redirect(wish)
    axis = the_reader().axis_mm(frame.kind)
    goals = likeness.like(figures.measured(), axis, base.measured.twist_kgcm2 is not None)
    return _asked(request, frame, wish, replace(asked, goals=goals))


@require_POST
@stored_once
def plan(request: Request, pk: int) -> HttpResponse:
    """Turn one recipe into a plan."""
    frame = _frame(pk)
    wish = _wish(request, frame)
    found = wish.found
    number = _number(request.POST.get("recipe"))
    if (
        not found
        or not 1 <= number <= len(found.recipes)
        or request.POST.get("run") != str(wish.run)
    ):
        messages.error(request, "The recipes were found again meanwhile: choose again.")
        return redirect(wish)
    base = asking.base(frame, found.base)
    pieces = found.recipes[number - 1].pieces
    made = asking.plan_from(frame, base, found.wanted, pieces, f"Recipe {number}", request.user)
    return redirect(made)


@require_POST
def from_plan(request: Request, pk: int) -> HttpResponse:
    """The targets of a plan as the wish, from the plan as it stands: what is on it stays."""
    found = get_object_or_404(Plan.live.select_related("frame"), pk=pk)
    wish = _wish(request, found.frame)
    state = found.state()
    base = f"plan:{found.pk}" if state.pieces else state.condition
    goals = asking.of_targets(state.targets)
    twist = goals.get("twist_kgcm2")
    if twist and twist.change is not None:
        # A change from the frame as read, of which the plan's pieces make some already.
        made = nominal(predict(found.to_plan()).added.twist_kgcm2)
        goals["twist_kgcm2"] = replace(twist, change=round(twist.change - made, 6))
    asked = replace(_content(found.frame, wish), goals=goals, base=base)
    return _asked(request, found.frame, wish, asked)


# --- helpers -------------------------------------------------------------------------------------


def _frame(pk: int) -> Frame:
    return get_object_or_404(Frame.live, pk=pk)


def _number(text: str | None) -> int:
    """A whole number from a form; 0 for anything else."""
    return int(text) if text and text.isdecimal() and len(text) < 10 else 0


def _wish(request: Request, frame: Frame) -> Wish:
    """The person's wish for this frame; one not asked yet is only written down once it is."""
    wish = Wish.objects.filter(frame=frame, user=request.user).first()
    if wish is None:
        wish = Wish(frame=frame, user=request.user)
        if request.method == "POST":
            wish = Wish.objects.get_or_create(frame=frame, user=request.user)[0]
    return wish


def _content(frame: Frame, wish: Wish) -> Asked:
    return Asked.parse(wish.content, frame.kind)


def _like(frame: Frame) -> QuerySet[Frame]:
    """Others of its kind, by name alone."""
    others = Frame.live.filter(kind=frame.kind).exclude(pk=frame.pk).select_related(None)
    return others.only("maker", "model", "serial")[:40]


def _form(request: Request, frame: Frame, wish: Wish, posted: bool = False) -> WishForm:
    asked = _content(frame, wish)
    chosen = request.POST.get("base", "") if posted else asked.base
    bases = asking.bases(frame, chosen if _number(chosen.removeprefix("plan:")) else asked.base)
    base = asking.chosen_base(bases, chosen)
    parts = asking.parts_of(frame, base.state.condition)
    limited, data = Limited.of(frame), request.POST if posted else None
    return WishForm(asked, limited, bases, parts, frame.outline(), data)


def _asked(
    request: Request, frame: Frame, wish: Wish, asked: Asked, limits: Limited | None = None
) -> HttpResponse:
    """Keep a wish (and what the frame allows), search for it, answer with the page's partial."""
    base = asking.base(frame, asked.base)
    with transaction.atomic():
        if limits:
            limits.keep(frame)
        Wish.objects.filter(pk=wish.pk).update(content=asked.dump())
    wish.content = asked.dump()
    if asked.goals:
        _search(request, frame, wish, asked, base)
    else:
        background.forget(wish)
    if not request.htmx:
        return redirect(wish)
    return _page(request, frame, wish, _form(request, frame, wish))


def _search(request: Request, frame: Frame, wish: Wish, asked: Asked, base: Base) -> None:
    axis = the_reader().axis_mm(frame.kind)
    brief = asking.brief_of(frame, asked, base, Settings.load(), axis)
    fault = next(brief.faults(), None)
    if fault:
        refuse(wish, *fault)
        return
    background.start(wish, tasks.wish, axis_mm=axis)


def _page(
    request: Request, frame: Frame, wish: Wish, form: WishForm, status: int = 200,
    more: dict[str, Any] | None = None,
) -> HttpResponse:  # fmt: skip
    """The whole page, or for the script the part of it that a wish changes."""
    spoken = above.spoken_of(frame)
    context: dict[str, Any] = (
        {
            "frame": frame,
            "kind": frame.kind,
            "outline": frame.outline(),
            "form": form,
            "others": _like(frame),
            "spoken": spoken if spoken and spoken.keys and not form.asked.goals else None,
        }
        | _answer(request, frame, wish)
        | (_said_before(frame, form) if more is None or "said" not in more else {})
        | (more or {})
    )
    template = "recipes/_wishing.html" if request.htmx else "recipes/recipes.html"
    return render(request, template, context, status=status)


def _answer(request: Request, frame: Frame, wish: Wish) -> dict[str, Any]:
    """What was found, or how far the search is."""
    found, outline = wish.found, frame.outline()
    is_old, off = False, None
    if found:
        base = asking.base(frame, found.base)
        off = lighter(frame, base, _content(frame, wish), found)
        is_old = base.key != found.base or _differ(base, found.measured)
    played = Striking.of(frame, bool(found and found.measured.twist_kgcm2 is not None))
    return {
        "frame": frame,
        "wish": wish,
        "outline": outline,
        "axis": the_reader().axis_mm(frame.kind),
        "cards": shown.recipe_cards(found, outline, played) if found else [],
        "found": found,
        "ways": list(shown.ways(found)) if found else [],
        "is_old": is_old,
        "lighter": off,
    }


def _differ(base: Base, then: Measured) -> bool:
    """Whether the frame (or plan) has other figures than the search began with."""
    now, before = (plain_figures(plain_body(measured), 0.0) for measured in (base.measured, then))
    return any(abs(now[name] - before[name]) > 1e-6 for name in now)
