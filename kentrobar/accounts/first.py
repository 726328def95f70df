"""The first page of an empty Kentrobar: the owner's account, the shop, its place, what it measures
with and what lies on its shelf. Guarded by the code the start command printed."""

from __future__ import annotations

from typing import Any, cast

from django.conf import settings
from django.contrib.auth import get_user_model, login
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.forms import AuthenticationForm
from django.contrib.auth.models import User
from django.contrib.auth.views import LoginView
from django.db import connection, transaction
from django.http import HttpRequest, HttpResponse, HttpResponseBase
from django.shortcuts import redirect, render
from django.utils.decorators import method_decorator
from django.views.decorators.cache import never_cache
from django.views.decorators.debug import sensitive_post_parameters
from django.views.decorators.http import require_http_methods

from kentrobar.core.measure.usual import BY_KEY
from kentrobar.measuring.models import Instrument
from kentrobar.shop.models import Settings
from kentrobar.stock.models import Material
from kentrobar.ui.request import Request

from . import doors, guessing, second_step
from .forms import NewAccount, ShopForm
from .models import Member, Role
from .second_step import BACKEND

FIRST_LOCK = 7_206_932
DRIFTS = 3.0
"""A scale may be off by so many of its last steps before it is called so."""


def nobody_is_here() -> bool:
    return not get_user_model()._default_manager.exists()


@method_decorator(login_not_required, name="dispatch")
class SignIn(LoginView):
    """Where nobody has an account yet, the first page."""

    redirect_authenticated_user = True

    def dispatch(self, request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponseBase:
        if request.method == "GET" and nobody_is_here():
            return redirect("welcome")
        if request.method != "POST":
            return super().dispatch(request, *args, **kwargs)
        address = request.META.get("REMOTE_ADDR", "")
        name = request.POST.get("username", "").casefold()
        user = get_user_model()._default_manager.filter(username__iexact=name[:150]).first()
        browser = guessing.known_browser(request, user)
        kind, whose, allowance = (
            ("browser", browser, guessing.BROWSER) if browser
            else ("account", name, guessing.ACCOUNT)
        )  # fmt: skip
        wait = guessing.wait_s("address", address, guessing.ADDRESS) or guessing.wait_s(
            kind, whose, allowance
        )
        if wait:
            return guessing.too_many_attempts(request, wait)
        answer = super().dispatch(request, *args, **kwargs)
        if request.user.is_authenticated:
            guessing.forget("address", address)
            guessing.forget(kind, whose)
            return guessing.remember_browser(cast(HttpResponse, answer), request, request.user)
        return answer

    def form_valid(self, form: AuthenticationForm) -> HttpResponse:
        user = form.get_user()
        if second_step.is_asked_of(user):
            return second_step.ask(self.request, user, self.get_success_url())
        return super().form_valid(form)


@login_not_required
@never_cache
@sensitive_post_parameters("password", "code")
@require_http_methods(["GET", "HEAD", "POST"])
def welcome(request: Request) -> HttpResponse:
    """Make the owner's account and the shop, once."""
    if not nobody_is_here():
        return redirect("sign-in")
    posted = request.POST if request.method == "POST" else None
    person = NewAccount(posted, prefix="you")
    shop = ShopForm(posted, instance=Settings.load(), prefix="shop")
    code, fault = request.POST.get("code", ""), ""
    if posted is not None:
        if not doors.opens(code, settings.LOCAL):
            fault = "This is not the code the start command printed. Look at its terminal."
        is_sound = all([person.is_valid(), shop.is_valid(), not fault])
        user = _open(person, shop) if is_sound else None
        if user is not None:
            login(request, user, backend=BACKEND)
            return guessing.remember_browser(redirect("opened"), request, user)
    context = {"person": person, "place": shop, "code": code, "fault": fault}
    is_at_fault = bool(fault or person.errors or shop.errors)
    return render(request, "accounts/welcome.html", context, status=422 if is_at_fault else 200)


def _open(person: NewAccount, shop: ShopForm) -> User | None:
    """The owner and the shop, all or nothing; None where somebody else was quicker."""
    with transaction.atomic():
        with connection.cursor() as cursor:
            cursor.execute("select pg_advisory_xact_lock(%s)", [FIRST_LOCK])
        if not nobody_is_here():
            return None
        user = person.make()
        Member.objects.create(user=user, role=Role.OWNER)
        kept = shop.save()
        ticked = {one.pk for one in shop.cleaned_data["materials"]}
        for material in Material.live.exclude(pk__in=ticked):
            material.remove()
        _add_scale(kept)
    doors.use_up(settings.LOCAL)
    doors.choose(shop.cleaned_data["phones"], settings.LOCAL)
    return user


def _add_scale(shop: Settings) -> None:
    """The scale static weight is read with is an instrument from the start; boards and machines
    wait for their zero and axis."""
    usual = BY_KEY.get(shop.usual_mass)
    if usual is not None and not Instrument.objects.exists():
        Instrument.objects.create(
            name=usual.label.capitalize(), kind="scale", resolution=usual.step,
            drift_band=DRIFTS * usual.step,
        )  # fmt: skip


def opened(request: Request) -> HttpResponse:
    """What to do next in a shop that was just opened."""
    context = {"is_open": doors.is_open(settings.LOCAL), "instruments": Instrument.live.all()}
    return render(request, "accounts/opened.html", context)
