"""The people who work here: invited, given a role, let back in, and let go. For the owner."""

from __future__ import annotations

from django.conf import settings
from django.contrib import messages
from django.contrib.auth import get_user_model, login
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.models import User
from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.cache import never_cache
from django.views.decorators.debug import sensitive_post_parameters
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request

from . import doors, guessing, sessions
from .forms import InviteForm, NewAccount, PasswordForm, RoleForm
from .models import ABOUT, Invitation, Member, Role, SecondStep, called, role_of
from .second_step import BACKEND


@require_safe
def colleagues(request: Request) -> HttpResponse:
    """Everybody with an account, open invitations, and whether phones are let in."""
    return _page(request, InviteForm())


def _page(request: Request, form: InviteForm) -> HttpResponse:
    users = get_user_model()._default_manager.select_related("member").order_by("pk")
    rows = [
        {"user": one, "called": called(one), "role": role_of(one), "is_me": one == request.user}
        for one in users
    ]
    # A colleague comes in with a phone, where those are let in.
    door = doors.address(settings.LOCAL) or request.build_absolute_uri("/")
    waiting = [{"row": one, "link": f"{door}join/{one.token}/"} for one in Invitation.waiting()]
    context = {
        "rows": rows, "roles": Role.choices, "about": ABOUT.items(), "waiting": waiting,
        "form": form, "is_open": doors.is_open(settings.LOCAL),
    }  # fmt: skip
    return render(request, "accounts/colleagues.html", context, status=422 if form.errors else 200)


@require_POST
@stored_once
def invite(request: Request) -> HttpResponse:
    """A link for a new colleague."""
    form = InviteForm(request.POST)
    if not form.is_valid():
        return _page(request, form)
    form.instance.made_by = request.user
    form.save()
    messages.success(request, "The link stands below: give it to them. It works once.")
    return redirect("colleagues")


@require_POST
@stored_once
def invitation_revoke(request: Request, pk: int) -> HttpResponse:
    Invitation.objects.filter(pk=pk, used_at=None).update(revoked_at=timezone.now())
    messages.success(request, "Revoked: the link lets nobody in any more.")
    return redirect("colleagues")


@require_POST
def role(request: Request, pk: int) -> HttpResponse:
    """Give somebody another role. One owner at least stays."""
    form = RoleForm(request.POST)
    if not form.is_valid():
        messages.error(request, "Choose one of the roles.")
        return redirect("colleagues")
    with transaction.atomic():
        _hold_owners()
        user = get_object_or_404(get_user_model(), pk=pk)
        if form.cleaned_data["role"] != Role.OWNER and _is_last_owner(user):
            messages.error(request, "One owner must stay: make somebody else owner first.")
            return redirect("colleagues")
        Member.objects.update_or_create(user=user, defaults={"role": form.cleaned_data["role"]})
    messages.success(request, f"{called(user)} is {form.cleaned_data['role']} now.")
    return redirect("colleagues")


@require_POST
def let_go(request: Request, pk: int) -> HttpResponse:
    """Take somebody's account out of use, or let them back in. What they did stays theirs."""
    is_active = request.POST.get("let") == "in"
    with transaction.atomic():
        _hold_owners()
        user = get_object_or_404(get_user_model(), pk=pk)
        if not is_active and _is_last_owner(user):
            messages.error(request, "One owner must stay: make somebody else owner first.")
            return redirect("colleagues")
        user.is_active = is_active
        user.save(update_fields=["is_active"])
        if not is_active:
            sessions.end(user)
    said = "may sign in again" if is_active else "is signed out and cannot sign in any more"
    messages.success(request, f"{called(user)} {said}.")
    return redirect("colleagues")


@require_POST
@stored_once
def reset(request: Request, pk: int) -> HttpResponse:
    """A link with which a colleague sets a new password. Older ones end."""
    user = get_object_or_404(get_user_model(), pk=pk, is_active=True)
    with transaction.atomic():
        Invitation.objects.filter(user=user, used_at=None).update(revoked_at=timezone.now())
        Invitation.objects.create(
            user=user, role=role_of(user), note=called(user), made_by=request.user
        )
    messages.success(request, f"The link for {called(user)} stands below. It works once.")
    return redirect("colleagues")


@require_POST
def phones(request: Request) -> HttpResponse:
    """Let phones of this network in, or no longer."""
    is_open = request.POST.get("let") == "in"
    doors.choose(is_open, settings.LOCAL)
    messages.success(
        request,
        "Phones are let in within a few seconds." if is_open else "Phones no longer get in.",
    )
    return redirect("phones" if is_open else "colleagues")


def _hold_owners() -> None:
    """Two owners cannot end one another at once."""
    list(Member.objects.select_for_update().filter(role=Role.OWNER).order_by("pk"))


def _is_last_owner(user: User) -> bool:
    owners = Member.objects.filter(role=Role.OWNER, user__is_active=True)
    return owners.filter(user=user).exists() and not owners.exclude(user=user).exists()


@login_not_required
@never_cache
@sensitive_post_parameters("password")
@require_http_methods(["GET", "HEAD", "POST"])
def join(request: Request, token: str) -> HttpResponse:
    """Take up an invitation: make an account, or set a new password. Each link works once."""
    with transaction.atomic():
        held = Invitation.objects.select_for_update(of=("self",)).select_related("user")
        found = held.filter(token=token).first() if "\0" not in token else None
        if found is None or not found.is_open or (found.user and not found.user.is_active):
            return render(request, "accounts/join_gone.html", status=404)
        posted = request.POST if request.method == "POST" else None
        form: NewAccount | PasswordForm = (
            PasswordForm(found.user, posted, is_reset=True) if found.user else NewAccount(posted)
        )
        if posted is None or not form.is_valid():
            context = {"form": form, "invitation": found, "about": ABOUT[Role(found.role)]}
            status = 422 if form.errors else 200
            return render(request, "accounts/join.html", context, status=status)
        user = _taken_up(found, form)
        Invitation.objects.filter(pk=found.pk).update(used_at=timezone.now(), user=user)
    login(request, user, backend=BACKEND)
    return guessing.remember_browser(redirect("bench"), request, user)


def _taken_up(found: Invitation, form: NewAccount | PasswordForm) -> User:
    if isinstance(form, PasswordForm):
        form.save()
        sessions.end(form.user)
        # Whose phone is lost gets in again by the owner's hand alone.
        SecondStep.objects.filter(user=form.user).delete()
        return form.user
    user = form.make()
    Member.objects.create(user=user, role=found.role)
    return user
