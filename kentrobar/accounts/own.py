"""One's own account: name, password, and where one is signed in."""

from __future__ import annotations

from django.contrib import messages
from django.contrib.auth import update_session_auth_hash
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.cache import never_cache
from django.views.decorators.debug import sensitive_post_parameters
from django.views.decorators.http import require_POST, require_safe

from kentrobar.ui.request import Request

from . import second_step, sessions
from .forms import OwnForm, PasswordForm
from .models import ABOUT, role_of


@never_cache
@require_safe
def account(request: Request) -> HttpResponse:
    return _page(request, OwnForm(instance=request.user), PasswordForm(request.user))


def _page(request: Request, own: OwnForm, password: PasswordForm) -> HttpResponse:
    role = role_of(request.user)
    context = {
        "own": own, "password": password, "role": role.label, "about": ABOUT[role],
        "has_code": second_step.is_asked_of(request.user),
        "places": sessions.places_of(request.user), "here": request.session.session_key,
    }  # fmt: skip
    is_at_fault = bool(own.errors or password.errors)
    return render(request, "accounts/account.html", context, status=422 if is_at_fault else 200)


@require_POST
def own(request: Request) -> HttpResponse:
    form = OwnForm(request.POST, instance=request.user)
    if not form.is_valid():
        return _page(request, form, PasswordForm(request.user))
    form.save()
    messages.success(request, "Saved.")
    return redirect("account")


@sensitive_post_parameters("present", "password")
@require_POST
def password(request: Request) -> HttpResponse:
    """A new password signs everybody else out of this account."""
    form = PasswordForm(request.user, request.POST)
    if not form.is_valid():
        return _page(request, OwnForm(instance=request.user), form)
    form.save()
    sessions.end(request.user, but=request.session.session_key)
    before = request.session.session_key
    update_session_auth_hash(request, request.user)
    sessions.moved(before, request)
    messages.success(request, "The new password holds; other places were signed out.")
    return redirect("account")


@require_POST
def end(request: Request) -> HttpResponse:
    """Sign out one of one's other places, or all of them."""
    pk = request.POST.get("place", "")
    ended = sessions.end(
        request.user,
        pk=int(pk) if pk.isdecimal() and len(pk) < 10 else None,
        but=request.session.session_key,
    )
    messages.success(request, f"Signed out of {ended or 'no'} other place{'s' * (ended != 1)}.")
    return redirect("account")
