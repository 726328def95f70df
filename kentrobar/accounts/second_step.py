"""A code of the phone at sign-in, for whoever wants one: after the password, six digits that an app
shows and that change every half minute (RFC 6238, by pyotp)."""

from __future__ import annotations

import time

import pyotp
import segno
from django.contrib import messages
from django.contrib.auth import get_user_model, login
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.models import User
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render, resolve_url
from django.utils.http import url_has_allowed_host_and_scheme
from django.utils.safestring import mark_safe
from django.views.decorators.cache import never_cache
from django.views.decorators.debug import sensitive_post_parameters
from django.views.decorators.http import require_http_methods, require_POST

from kentrobar.shop.models import remembered
from kentrobar.ui.request import Request

from . import guessing
from .models import SecondStep, called

BACKEND = "kentrobar.accounts.signed_in.WithRole"
WAITING = "second-step"
NEW_SECRET = "second-step-new"
LASTS_S = 300.0
STEP_S = 30
WRONG = (
    "That is not the code shown now. Codes change every half minute; is the phone’s clock right?"
)


def is_asked_of(user: User) -> bool:
    return SecondStep.objects.filter(user=user).exists()


def ask(request: HttpRequest, user: User, to: str) -> HttpResponse:
    """The password was right: keep who it is, and ask for the code."""
    request.session[WAITING] = {"user": user.pk, "to": to, "at": time.time()}
    return redirect("sign-in-code")


@login_not_required
@never_cache
@sensitive_post_parameters("code")
@require_http_methods(["GET", "HEAD", "POST"])
def code(request: HttpRequest) -> HttpResponse:
    """The code, of whoever has just given their password here."""
    waiting = request.session.get(WAITING)
    if not waiting or not 0 <= time.time() - waiting["at"] < LASTS_S:
        request.session.pop(WAITING, None)
        messages.error(request, "Sign in again: the code was not given in time.")
        return redirect("sign-in")
    if request.method != "POST":
        return render(request, "accounts/code.html")
    users = get_user_model()._default_manager
    user = users.filter(pk=waiting["user"], is_active=True).first()
    browser = guessing.known_browser(request, user)
    wait = (
        guessing.wait_s("code in", browser, guessing.CODE_IN_BROWSER) if browser
        else guessing.wait_s("code of", waiting["user"], guessing.CODE)
    )  # fmt: skip
    if wait:
        return guessing.too_many_attempts(request, wait)
    if user is None or not fits(user, request.POST.get("code", "")):
        return render(request, "accounts/code.html", {"fault": WRONG}, status=422)
    del request.session[WAITING]
    login(request, user, backend=BACKEND)
    is_here = url_has_allowed_host_and_scheme(
        waiting["to"], {request.get_host()}, request.is_secure()
    )
    guessing.forget("code in", browser)
    guessing.forget("code of", user.pk)
    answer = redirect(waiting["to"] if is_here else resolve_url("bench"))
    return guessing.remember_browser(answer, request, user)


def fits(user: User, typed: str) -> bool:
    """Whether it is a code of now, or of half a minute before or after; each works once."""
    with transaction.atomic():
        held = SecondStep.objects.select_for_update().filter(user=user).first()
        if held is None:
            return True  # turned off meanwhile
        step = _step_of(held.secret, typed)
        if step is None or step <= held.last_step:
            return False
        held.last_step = step
        held.save(update_fields=["last_step"])
    return True


def _step_of(secret: str, typed: str) -> int | None:
    """The number of the half minute a code is of."""
    digits = "".join(typed.split())
    if len(digits) != 6 or not (digits.isascii() and digits.isdecimal()):
        return None
    clock, now = pyotp.TOTP(secret), int(time.time()) // STEP_S
    return next(
        (n for n in (now, now - 1, now + 1) if clock.verify(digits, for_time=n * STEP_S)), None
    )


@never_cache
@sensitive_post_parameters("code")
@require_http_methods(["GET", "HEAD", "POST"])
def turn_on(request: Request) -> HttpResponse:
    """Take the secret over into an app, and show that it was: nobody is locked out by a slip."""
    if is_asked_of(request.user):
        return redirect("account")
    secret = request.session.setdefault(NEW_SECRET, pyotp.random_base32())
    fault, posted = "", request.POST.get("code")
    if request.method == "POST":
        step = _step_of(secret, posted or "")
        if step is not None:
            SecondStep.objects.get_or_create(
                user=request.user, defaults={"secret": secret, "last_step": step}
            )
            del request.session[NEW_SECRET]
            messages.success(request, "From now on a code is asked for after the password.")
            return redirect("account")
        fault = WRONG
    link = pyotp.TOTP(secret).provisioning_uri(
        name=request.user.username, issuer_name=remembered().shop_name or "Kentrobar"
    )
    # Drawn by the library, of a link it escapes: no markup of anybody's.
    picture = mark_safe(segno.make(link, error="m").svg_inline(scale=4, border=2))
    parts = " ".join(secret[i : i + 4] for i in range(0, len(secret), 4))
    context = {"picture": picture, "secret": parts, "fault": fault, "called": called(request.user)}
    return render(request, "accounts/code_on.html", context, status=422 if fault else 200)


@sensitive_post_parameters("present")
@require_POST
def turn_off(request: Request) -> HttpResponse:
    if not request.user.check_password(request.POST.get("present", "")):
        messages.error(request, "This is not your present password: the code stays.")
        return redirect("account")
    SecondStep.objects.filter(user=request.user).delete()
    messages.success(request, "No code is asked for any more.")
    return redirect("account")
