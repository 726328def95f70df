"""Due days and follow-ups as a calendar for a phone, behind a link that nobody guesses."""

from __future__ import annotations

import secrets
from datetime import date, timedelta
from typing import Any

from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.http import Http404, HttpResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.utils import timezone
from django.utils.crypto import constant_time_compare
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_POST, require_safe
from icalendar import Calendar, Event

from kentrobar.shop.models import Settings
from kentrobar.ui.request import Request

from .models import Job


def of_settings(request: Request, _: Any) -> dict[str, str]:
    """The link, for the page of settings; '' until one is made."""
    token = Settings.load().calendar_token
    there = reverse("calendar", args=[token]) if token else ""
    return {"link": request.build_absolute_uri(there) if there else ""}


@require_POST
def renew(request: Request) -> HttpResponse:
    """A new link; the old one shows nothing any more."""
    settings = Settings.load()
    settings.calendar_token = secrets.token_urlsafe(32)
    settings.save()
    messages.success(request, "A new calendar link. Whoever had the old one sees nothing any more.")
    return redirect("settings")


@login_not_required
@never_cache
@require_safe
def feed(request: Request, token: str) -> HttpResponse:
    """Open jobs on their due days, and players to be asked, for whoever has the link."""
    known = Settings.load().calendar_token
    if not known or not constant_time_compare(token, known):
        raise Http404("no such calendar")
    calendar = Calendar()
    calendar.add("prodid", "-//Kentrobar//bench//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", "Kentrobar bench")
    for job in Job.live.filter(closed_at=None).select_related("person"):
        frames = job.taken_in.count()
        many = "1 frame" if frames == 1 else f"{frames} frames"
        event = _day(request, job, "due", job.due, f"{job.person}: {many} due")
        event.add("description", job.asked)
        calendar.add_component(event)
    for job in Job.live.filter(ask_on__isnull=False, verdict="").select_related("person"):
        assert job.ask_on is not None
        event = _day(request, job, "ask", job.ask_on, f"Ask {job.person} how it plays")
        calendar.add_component(event)
    answer = HttpResponse(calendar.to_ical(), content_type="text/calendar; charset=utf-8")
    answer["Referrer-Policy"] = "no-referrer"
    answer["X-Robots-Tag"] = "noindex, nofollow"
    return answer


def _day(request: Request, job: Job, what: str, day: date, summary: str) -> Event:
    event = Event()
    event.add("uid", f"{what}-{job.pk}@{request.get_host()}")
    event.add("dtstamp", timezone.now())
    event.add("dtstart", day)
    event.add("dtend", day + timedelta(days=1))
    event.add("summary", summary)
    event.add("url", request.build_absolute_uri(job.get_absolute_url()))
    return event
