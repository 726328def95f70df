"""The player's card: before, after, what is fitted where; on paper, as PDF, and behind a link that
can be revoked."""

from __future__ import annotations

import secrets
from typing import Any

from django.conf import settings
from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.core.mail import BadHeaderError, EmailMessage
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.template.loader import render_to_string
from django.utils.translation import gettext
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_POST, require_safe

from kentrobar.core.frame.predict import LadenFrame, Measured, predict
from kentrobar.core.geometry.kinds import kind_of
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.io.plans import dump_measured, dump_plan, parse_measured, plan_of
from kentrobar.core.pieces.cautions import RULES
from kentrobar.core.quantities import FIGURES, READ, plain_figures
from kentrobar.core.reader import Reader, axis_text, in_points, mass_text, the_reader, translated
from kentrobar.core.words.amounts import Amount, change_of
from kentrobar.frames import above
from kentrobar.frames.choices import Condition
from kentrobar.frames.models import Frame
from kentrobar.plans.models import Plan
from kentrobar.shop.links import for_players, stays_here
from kentrobar.shop.middleware import to_customer
from kentrobar.shop.models import remembered
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request
from kentrobar.workshop.paper import paper

from .models import Card, Sheet
from .players import language_of


@require_POST
@stored_once
def make(request: Request, pk: int) -> HttpResponse:
    """A card of how things stand now: read since it was signed off, or as predicted, and said
    so."""
    plan = get_object_or_404(Plan.live.select_related("frame"), pk=pk)
    sheet = Sheet.objects.filter(plan=plan).first()
    if sheet is None or not sheet.is_on:
        messages.error(
            request, "Sign the bench sheet off first: the card says what is on the frame."
        )
        return redirect("sheet", pk)
    return redirect("card", make_card(plan, sheet, request.user).pk)


def make_card(plan: Plan, sheet: Sheet, user: Any) -> Card:
    """A card of what a sheet put on, in the units of whoever makes it."""
    return Card.objects.create(
        plan=plan,
        token=secrets.token_urlsafe(32),
        content=_content(plan, sheet),
        made_by=user,
    )


def _content(plan: Plan, sheet: Sheet) -> dict[str, Any]:
    frame, state = plan.frame, plan.state()
    after, is_read = _after(frame, sheet)
    return {
        "plan": dump_plan(
            LadenFrame(frame=frame.outline(), measured=state.measured, pieces=sheet.core_pieces())
        ),
        "name": str(frame),
        "maker": frame.maker,
        "player": str(frame.player or ""),
        "asked": spoken.text if (spoken := above.spoken_of(frame)) else "",
        "condition": Condition(state.condition).label,
        "after": dump_measured(after) if after else None,
        "is_read": is_read,
        "axis_mm": the_reader().axis_mm(frame.kind),
        # Whoever has its link has chosen no units: they read those of whoever made it.
        "units": {
            "mass": the_reader().mass,
            "length": the_reader().length,
            "balance": the_reader().balance,
        },
        "signed_off": sheet.signed_off_at.isoformat() if sheet.signed_off_at else "",
    }


def _after(frame: Frame, sheet: Sheet) -> tuple[Measured | None, bool]:
    """The frame as read after the sign-off, if it was read whole."""
    for found in frame.figures():
        readings = found.readings.values()
        if found.is_complete and all(
            reading.read_at >= sheet.signed_off_at
            for reading in readings
            if sheet.signed_off_at and reading.quantity != "twist_kgcm2"
        ):
            return found.measured(), True
    return None, False


@require_safe
def show(request: Request, pk: int) -> HttpResponse:
    """The card as the workshop sees it, with its link."""
    card = get_object_or_404(Card.objects.select_related("plan__frame__player"), pk=pk)
    link = for_players(request, f"/card/{card.token}/")
    return render(
        request,
        "workshop/card_made.html",
        _context(card)
        | {"link": link, "plan": card.plan, "stays_here": stays_here(link)}
        | {"mails_to": _mails_to(card)},
    )


@require_POST
@stored_once
def mail(request: Request, pk: int) -> HttpResponse:
    """The card's link to the player, by mail, where this shop has said how it sends any."""
    card = get_object_or_404(Card.objects.select_related("plan__frame__player"), pk=pk)
    player, shop = card.plan.frame.player, remembered()
    if not settings.MAIL or player is None or not player.email or not card.is_open:
        messages.error(request, "Not sent: no mail is set up here, or the player has no address.")
        return redirect("card", pk)
    link = for_players(request, f"/card/{card.token}/")
    with to_customer(language_of(player)):
        text = render_to_string(
            "workshop/card_mail.txt", {"card": card, "link": link, "shop": shop, "player": player}
        )
        title = gettext("%(frame)s: your card") % {"frame": card.plan.frame}
    try:
        EmailMessage(title, text, to=[player.email]).send()
    except (OSError, BadHeaderError) as error:
        messages.error(request, f"Not sent: {str(error)[:200]}")
    else:
        messages.success(request, f"Sent to {player.email}.")
    return redirect("card", pk)


@login_not_required
@never_cache
@require_safe
def public(request: Request, token: str) -> HttpResponse:
    """One card, for whoever has its link; nothing else of the workshop."""
    card = Card.shown_by(token)
    if card is None:
        with to_customer(language_of(None)):
            return render(request, "workshop/card_gone.html", status=404)
    with to_customer(language_of(card.plan.frame.player), _as_made(card)):
        answer = render(request, "workshop/card_public.html", _context(card))
    answer["Referrer-Policy"] = "no-referrer"
    answer["X-Robots-Tag"] = "noindex, nofollow"
    return answer


@require_safe
def pdf(request: Request, pk: int) -> HttpResponse:
    card = get_object_or_404(Card.objects.select_related("plan__frame"), pk=pk)
    with to_customer(language_of(card.plan.frame.player)):
        html = render_to_string(
            "workshop/card_paper.html", _context(card) | {"paper": True}, request
        )
    return paper(request, html, f"card {card.plan.frame}")


def _mails_to(card: Card) -> str:
    """The player's address, where mail is sent from here."""
    player = card.plan.frame.player
    return player.email if settings.MAIL and player else ""


def _as_made(card: Card) -> Reader:
    """The units a card was made in; cards from before had g and mm."""
    return Reader(**card.content.get("units", {}))


def _points(balance_mm: float, outline: Outline) -> str:
    """A racket's balance in points; '' for a paddle, whose players do not count them."""
    return in_points(balance_mm, outline.length_mm) if kind_of(outline).balance_in == "pt" else ""


def _context(card: Card) -> dict[str, Any]:
    content = card.content
    plan = plan_of(content["plan"])
    outline, measured, pieces = plan.frame, plan.measured, plan.pieces
    prediction = predict(plan)
    axis = content["axis_mm"]
    before = plain_figures(measured.body(), axis, READ)
    after = prediction.after
    if content["after"]:
        after = parse_measured(content["after"]).body()
    now = plain_figures(after, axis, READ)
    twist = measured.twist_kgcm2 is not None
    rows = [
        (
            translated("swing weight about {axis}", axis=axis_text(axis))
            if name == "swing_kgcm2"
            else translated(FIGURES[name].label),
            Amount(name, before[name], length_mm=outline.length_mm).number(),
            Amount(name, now[name], length_mm=outline.length_mm).number(),
            change_of(name, now[name] - before[name]).number(),
            Amount(name, now[name], length_mm=outline.length_mm).unit,
            name in measured.assumed,
            name in measured.assumed and not content["after"],
        )
        for name in READ
        if twist or name != "twist_kgcm2"
    ]
    cautions = dict.fromkeys(text for piece in pieces for text in piece.cautions())
    return {
        "card": card,
        "content": content,
        "outline": outline,
        "prediction": prediction,
        "axis": axis,
        "rows": rows,
        "points": _points(now["balance_mm"], outline),
        "fitted": [
            (
                i,
                piece.name(outline),
                piece.where(),
                mass_text(piece.mass_g),
                piece.material or "",
            )
            for i, piece in enumerate(pieces, 1)
        ],
        "cautions": [*cautions, RULES],
    }
