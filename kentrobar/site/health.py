"""How things stand, for whatever watches over a server: one address, and figures by wish."""

from __future__ import annotations

import time
from collections.abc import Callable
from datetime import timedelta

from django.conf import settings
from django.contrib.auth.decorators import login_not_required
from django.db import DatabaseError, connection
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.utils import timezone
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_safe

from kentrobar import __version__
from kentrobar.backups import store
from kentrobar.devices.models import Line
from kentrobar.frames.models import Frame, Reading
from kentrobar.measuring.lines_here import BRIDGED
from kentrobar.measuring.models import Instrument
from kentrobar.plans.models import Plan
from kentrobar.ui.models import is_somebody_at_work
from kentrobar.workshop.models import Job

from . import disk

READER_SILENT = timedelta(seconds=15)
BACKUP_OLD = timedelta(hours=36)


@login_not_required
@never_cache
@require_safe
def health(request: HttpRequest) -> HttpResponse:
    """`ok`, or what is not, without any figure of the shop: 200, or 503 where the application
    cannot work. Reader, worker, disk and backup are told, and do not make it so."""
    is_up = database()
    found = {
        "database": is_up, "reader": is_up and reader(), "worker": is_up and worker(),
        "backup": backup(),
    }  # fmt: skip
    told = {name: "ok" if well else "failing" for name, well in found.items()}
    return JsonResponse(told | {"disk": disk.standing()}, status=200 if is_up else 503)


def database() -> bool:
    try:
        with connection.cursor() as cursor:
            cursor.execute("select 1")
    except DatabaseError:
        return False
    return True


def _asked(question: Callable[[], bool]) -> bool:
    try:
        return question()
    except DatabaseError:
        return False


def reader() -> bool:
    """Well where no instrument hangs on a line, or each was looked at a moment ago."""

    def question() -> bool:
        wired = Instrument.live.exclude(port="").exclude(port__startswith=BRIDGED).count()
        since = timezone.now() - READER_SILENT
        return Line.objects.filter(beat_at__gt=since).count() >= min(wired, 1)

    return _asked(question)


def worker() -> bool:
    """Well where somebody does the work beside the pages."""
    return _asked(is_somebody_at_work)


def backup() -> bool:
    """Well where one was made since the night before last; a demo needs none."""
    kept = store.kept(settings.BACKUPS)
    return settings.DEMO or (bool(kept) and timezone.now() - store.made_at(kept[0]) < BACKUP_OLD)


@login_not_required
@never_cache
@require_safe
def metrics(request: HttpRequest) -> HttpResponse:
    """Figures as OpenMetrics text, where KENTROBAR_METRICS is set; to this machine only."""
    if not settings.METRICS or request.META.get("REMOTE_ADDR") not in ("127.0.0.1", "::1"):
        raise Http404("no metrics here")
    kept = store.kept(settings.BACKUPS)
    started = time.perf_counter()
    rows = {
        "frames": Frame.live.count(), "readings": Reading.objects.count(),
        "plans": Plan.live.count(), "open_jobs": Job.live.filter(closed_at=None).count(),
    }  # fmt: skip
    asked = time.perf_counter() - started
    figures = {f"kentrobar_{name}": float(count) for name, count in rows.items()}
    figures["kentrobar_database_answer_seconds"] = round(asked, 4)
    if kept:
        age = timezone.now() - store.made_at(kept[0])
        figures["kentrobar_backup_age_seconds"] = round(age.total_seconds())
    for name, well in (("reader", reader), ("worker", worker), ("backup", backup)):
        figures[f"kentrobar_{name}_ok"] = int(well())
    figures["kentrobar_disk_ok"] = int(disk.standing() == "ok")
    told = [f'# TYPE kentrobar info\nkentrobar_info{{version="{__version__}"}} 1']
    told += [f"# TYPE {name} gauge\n{name} {value:g}" for name, value in figures.items()]
    kind = "application/openmetrics-text; version=1.0.0; charset=utf-8"
    return HttpResponse("\n".join([*told, "# EOF\n"]), content_type=kind)
