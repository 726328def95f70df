"""Programs that speak to the shop: each has a token that is told once, and can be ended."""

from __future__ import annotations

from typing import Any

from django import forms
from django.conf import settings
from django.contrib import messages
from django.db import IntegrityError, transaction
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST, require_safe

from kentrobar.shop.tokens import Token
from kentrobar.ui.request import Request

from . import doors


class TokenForm(forms.ModelForm):
    class Meta:
        model = Token
        fields = ("name", "may")
        labels = {"name": "what for", "may": "it may"}

    def clean_name(self) -> str:
        # It stands in the names of a bridge's lines, between colons.
        name: str = self.cleaned_data["name"].replace(":", " ").strip()
        if Token.objects.filter(name=name, ended_at=None).exists():
            raise forms.ValidationError("There is a token of this name: end it, or name another.")
        return name


@require_safe
def programs(request: Request) -> HttpResponse:
    """Every token that is not ended, and where programs find the shop."""
    return _page(request, TokenForm())


def _page(request: Request, form: TokenForm, told: str = "", made: Any = None) -> HttpResponse:
    door = doors.address(settings.LOCAL) or request.build_absolute_uri("/")
    context = {
        "form": form, "told": told, "made": made, "door": door.rstrip("/"),
        "tokens": Token.objects.filter(ended_at=None).select_related("user"),
    }  # fmt: skip
    return render(request, "accounts/programs.html", context, status=422 if form.errors else 200)


@require_POST
def token_make(request: Request) -> HttpResponse:
    """A new token: its word stands on the answer, and nowhere after."""
    form = TokenForm(request.POST)
    if not form.is_valid():
        return _page(request, form)
    form.instance.user = request.user
    word = form.instance.renew()
    try:
        with transaction.atomic():
            form.save()
    except IntegrityError:  # sent twice at once
        form.add_error("name", "There is a token of this name: end it, or name another.")
        return _page(request, form)
    return _page(request, TokenForm(), word, form.instance)


@require_POST
def token_end(request: Request, pk: int) -> HttpResponse:
    Token.objects.filter(pk=pk, ended_at=None).update(ended_at=timezone.now())
    messages.success(request, "Ended: whoever uses it is refused from now on.")
    return redirect("programs")
