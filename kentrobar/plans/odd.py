"""A plan that cannot be: kept by an older version, or written into the database by another hand. A
page that meets one says which, and offers to put it away, instead of breaking."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from kentrobar.core.frame.predict import predict
from kentrobar.core.io.plans import plan_faults

from .models import Plan

BREAKS = (ValueError, KeyError, TypeError, AttributeError, ArithmeticError, IndexError)
"""What computing with such a plan may bring about; a DocumentError is a ValueError."""


def fault_of(plan: Plan) -> str:
    """Why a plan cannot be; '' for one that can."""
    try:
        laden = plan.to_plan()
        for path, reason in plan_faults(laden):
            return f"{path}: {reason}"
        predict(laden)
    except BREAKS as error:
        return str(error) or type(error).__name__
    return ""


class OddPlans:
    """Looks for such a plan only where a page broke: sound ones cost nothing."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        match = request.resolver_match
        if not isinstance(error, BREAKS) or match is None or "pk" not in match.kwargs:
            return None
        for plan in _near(match.route, match.kwargs["pk"]):
            fault = fault_of(plan)
            if fault:
                context: dict[str, Any] = {"plan": plan, "fault": fault}
                return render(request, "plans/odd.html", context, status=422)
        return None


def _near(route: str, pk: int) -> list[Plan]:
    """The plans a page is likely to compute with: the one of its address, its frame's, or those
    made last where it is about several frames (a set, a job)."""
    live = Plan.live.select_related("frame")
    if "plans/" in route:
        return list(live.filter(pk=pk))
    return list((live.filter(frame=pk) if "frames/" in route else live)[:100])
