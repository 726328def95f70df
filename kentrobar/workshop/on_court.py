"""The page a player answers on, on court: of a blind trial or of a search for a set-up. It works
without a connection: answers come together when there is one, each counts once."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

from django.db import transaction
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render

from kentrobar.shop.middleware import to_customer

from .models import BlindTrial, SetupSearch
from .players import language_of

MOST_KEPT = 60
Answer = dict[str, Any]


def court(
    request: HttpRequest,
    kind: type[BlindTrial] | type[SetupSearch],
    token: str,
    keep: Callable[[Any, list[Answer]], None],
    told: Callable[[Any], dict[str, Any]],
    context: Callable[[Any], dict[str, Any]],
) -> HttpResponse | JsonResponse:
    """The page, or what was answered on it.

    Args:
        keep: takes answers of a row that is held. told: what the phone must know of a row; in the
            player's language. context: how its questions are put.
    """
    row = kind.shown_by(token)
    if row is None:
        with to_customer(language_of(None)):
            return render(request, "workshop/card_gone.html", status=404)
    if request.method == "POST":
        try:
            answers = _read(request.body)
        except (ValueError, KeyError, TypeError, OverflowError, RecursionError):
            return JsonResponse({"fault": "not understood"}, status=400)
        with transaction.atomic():
            held = kind._default_manager.select_for_update().get(pk=row.pk)
            keep(held, answers)
        with to_customer(language_of(row.frame.player)):
            return JsonResponse(told(held))
    with to_customer(language_of(row.frame.player)):
        page = {"trial": row, "told": told(row)} | context(row)
        return render(request, "workshop/court.html", page)


def _read(body: bytes) -> list[Answer]:
    return [
        {
            "session": int(one["session"]), "pair": int(one["pair"]), "said": str(one["said"])[:8],
            "aspects": {str(k)[:12]: str(v)[:8] for k, v in dict(one.get("aspects", {})).items()},
        }
        for one in json.loads(body)["answers"][:MOST_KEPT]
    ]  # fmt: skip
