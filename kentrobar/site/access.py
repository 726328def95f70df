"""Who may do what: one table of every address, and the middleware that holds it.

An address is named as in ``urls.py``. What is not in the table, nobody may see: a test goes over
all addresses, and the server refuses to show a new one before it has its row.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, cast

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from kentrobar.accounts import sessions
from kentrobar.accounts.models import Role, role_of
from kentrobar.ui.request import Request

SAFE = ("GET", "HEAD", "OPTIONS")
EVERYBODY = frozenset(Role)
OWNER = frozenset({Role.OWNER})
BENCH = frozenset({Role.OWNER, Role.BENCH})
COUNTER = frozenset({Role.OWNER, Role.BENCH, Role.COUNTER})


@dataclass(frozen=True, slots=True)
class Need:
    """Roles that may look at an address, and roles that may post to it."""

    see: frozenset[Role]
    do: frozenset[Role]


LOOK = Need(EVERYBODY, BENCH)
"""Everybody looks; the bench works."""
DESK = Need(EVERYBODY, COUNTER)
"""Everybody looks; the counter works too."""
WORK = Need(BENCH, BENCH)
TAKE_IN = Need(COUNTER, COUNTER)
OWN = Need(EVERYBODY, EVERYBODY)
"""One's own: units, account, signing out; nothing of the shop is changed."""
RULE = Need(OWNER, OWNER)

_ROOMS: tuple[tuple[Need, str], ...] = (
    (OWN, "units understood sign-out find live live-stream account account-name"),
    (OWN, "account-password account-end account-code account-code-off"),
    (LOOK, "frames frame frame-edit frame-delete frame-parts part-off part-forget part-back-on"),
    (LOOK, "measure film-strip film-file reading reading-withdraw reading-correct reading-again"),
    (LOOK, "instruments instrument stock material plans plan plan-board plan-target plan-download"),
    (LOOK, "plan-compare plan-drawing recipes recipes-answer recipes-open advice one-gram feel"),
    (LOOK, "matches match sets set set-answer set-correction quick sheet sheet-pdf trial stages"),
    (LOOK, "trial-rest-answer history blind-trials blind removed restore photo frame-label"),
    (LOOK, "setup-searches setup-search own-figures"),
    (WORK, "film film-answer film-stop film-take film-part"),
    (WORK, "frame-new frame-outline measure-preview measure-recording live-take live-tare"),
    (WORK, "instrument-new instrument-edit instrument-archive material-new material-edit"),
    (WORK, "material-weigh material-move material-archive weighing-drop"),
    (WORK, "plan-upload plan-undo plan-redo plan-piece plan-rebase plan-edit plan-rename"),
    (WORK, "plan-copy plan-delete plan-new frame-plan-upload plan-recipes"),
    (WORK, "recipes-wish recipes-stop recipes-pull recipes-say recipes-like recipes-plan"),
    (LOOK, "places"),
    (WORK, "place-drop"),
    (WORK, "advice-wish advice-plan feel-mark quick-plan set-new set-ask set-stop set-open"),
    (WORK, "set-reach set-change set-plans set-delete set-read set-correct set-accept"),
    (WORK, "sheet-tick sheet-foam sheet-back-on sheet-sign-off sheet-take-off"),
    (WORK, "setup-plan setup-fitted"),
    (WORK, "trial-keep stage-undo trial-act trial-rest trial-accept trial-correct"),
    (WORK, "data-read data-write data-table simulators"),
    (WORK, "data-csv data-json own-figures-take"),
    (DESK, "bench job job-set jobs people person job-ticket job-labels job-pair"),
    (DESK, "card card-pdf data"),
    (TAKE_IN, "job-new job-heard job-edit job-begin job-step job-verdict job-delete job-ask"),
    (TAKE_IN, "card-make card-mail link-end calendar-renew"),
    (Need(EVERYBODY, OWNER), "opened phones"),
    (RULE, "settings logo data-restore data-restored colleagues invite invitation-revoke"),
    (RULE, "colleague-role"),
    (RULE, "colleague-let colleague-reset phones-let backup-now"),
    (RULE, "programs token-make token-end"),
)
NEEDS: dict[str, Need] = {name: need for need, names in _ROOMS for name in names.split()}
PUBLIC = frozenset(
    (
        "sign-in", "sign-in-code", "welcome", "join", "trust", "authority", "calendar",
        "card-public",
        "blind-court", "setup-court", "health", "metrics", "bridge", "schema-index", "manifest",
        "may-send",
        "worker", "offline",
        "schema", "api-openapi",
    )
)  # fmt: skip
"""Addresses without sign-in: each guards itself, by a token, a code or a password, or shows nothing
of the shop."""


BY_TOKEN = "api"
"""The addresses of programs, whose tokens they look at themselves (``api/doors.py``)."""


def may(role: Role, name: str, method: str = "GET") -> bool:
    """Whether a role may do this at an address."""
    need = NEEDS.get(name)
    return need is not None and role in (need.see if method in SAFE else need.do)


class RolesHeld:
    """Nobody gets further than their role. ``request.role`` and ``request.looks_only`` are for
    pages."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_view(self, request: HttpRequest, view: Any, *_: Any) -> HttpResponse | None:
        if not request.user.is_authenticated:
            return None
        ours = cast(Request, request)
        match = request.resolver_match
        name = (match.url_name or "") if match else ""
        role = role_of(request.user)
        ours.role = role.value
        ours.looks_only = name in NEEDS and role not in NEEDS[name].do
        if name in PUBLIC or (match and BY_TOKEN in match.namespaces):
            return None
        sessions.seen(request)
        if may(role, name, request.method or "GET"):
            return None
        ours.looks_only = False  # the page itself says so
        said = {"role": role.label, "who": _who(name, request.method or "GET")}
        page = "refused_part" if ours.htmx else "refused"
        return render(request, f"accounts/{page}.html", said, status=403)


def _who(name: str, method: str) -> str:
    """Who may, in words: `owner or bench`."""
    need = NEEDS.get(name)
    roles = (need.see if method in SAFE else need.do) if need else frozenset()
    return " or ".join(role.label for role in Role if role in roles) or "nobody"
