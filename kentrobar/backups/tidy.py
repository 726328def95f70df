"""What nobody needs any more, cleared away every night, so that ten years are as quick as one."""

from __future__ import annotations

from datetime import timedelta

from django.contrib.sessions.models import Session
from django.db import connection
from django.db.models import Exists, F, OuterRef
from django.utils import timezone

from kentrobar.accounts.models import Invitation, SignedIn, Tries
from kentrobar.measuring import films
from kentrobar.measuring.models import Draft, Film, FilmPart
from kentrobar.plans.models import Plan, Step
from kentrobar.ui.models import Sent
from kentrobar.workshop.models import Import, Paper, Restore

INVITATIONS = timedelta(days=90)
DRAFTS = timedelta(days=60)
TABLES = timedelta(days=14)
PAPER = timedelta(days=1)
FILMS = timedelta(days=2)
QUIET = timedelta(days=180)
STEPS_OF_QUIET = 20
"""A plan nobody touched for so long can be undone by so many steps still."""


# The queue keeps what failed, to be looked at; its models are for reading only.
_FAILED = """
    delete from procrastinate_jobs
    where status in ('failed', 'aborted', 'cancelled') and not exists (
        select from procrastinate_events where job_id = procrastinate_jobs.id and at > %s
    )
"""


def tidy() -> dict[str, int]:
    """Clear away by policy; how many rows of each went. Readings, plans, people, jobs and what was
    removed stay for good."""
    now = timezone.now()
    there = Session.objects.filter(session_key=OuterRef("session_key"))
    quiet = Plan.objects.filter(changed_at__lt=now - QUIET)
    old = {
        "sessions": Session.objects.filter(expire_date__lt=now),
        "places": SignedIn.objects.filter(~Exists(there)),
        "tries at passwords": Tries.objects.filter(at__lt=now - timedelta(days=1)),
        "invitations": Invitation.objects.filter(made_at__lt=now - INVITATIONS),
        "forms sent": Sent.objects.filter(at__lt=now - timedelta(days=1)),
        "drafts": Draft.objects.filter(changed_at__lt=now - DRAFTS),
        "tables looked through": Import.objects.filter(changed_at__lt=now - TABLES),
        "restores": Restore.objects.filter(changed_at__lt=now - TABLES),
        "films": Film.objects.filter(changed_at__lt=now - FILMS),
        "parts of films": FilmPart.objects.filter(came_at__lt=now - FILMS),
        "paper": Paper.objects.filter(changed_at__lt=now - PAPER),
        "steps of quiet plans": Step.objects.filter(
            plan__in=quiet, number__lt=F("plan__position") - STEPS_OF_QUIET
        ),
    }
    for row in Film.objects.filter(changed_at__lt=now - FILMS):
        films.drop_file(row)
    gone = {name: rows.delete()[0] for name, rows in old.items()}
    with connection.cursor() as cursor:
        cursor.execute(_FAILED, [now - TABLES])
        gone["failed work"] = cursor.rowcount
    return gone
