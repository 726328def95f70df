"""The page of the workshop's settings."""

from django.contrib import messages
from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from kentrobar.ui.request import Request
from kentrobar.ui.stale import changed_meanwhile

from .forms import SettingsForm
from .models import Settings


@require_http_methods(["GET", "HEAD", "POST"])
def settings(request: Request) -> HttpResponse:
    """What counts against a recipe, cutting, what players notice, what work costs."""
    form = SettingsForm(request.POST or None, instance=Settings.load())
    fault = ""
    if request.method == "POST" and form.is_valid():
        with transaction.atomic():
            fault = changed_meanwhile(request, form.instance)
            if not fault:
                form.save()
                messages.success(request, "Saved. New recipes use these settings.")
                return redirect("settings")
    context = {"form": form, "fault": fault, "kept": Settings.load()}
    is_at_fault = bool(form.errors or fault)
    return render(request, "shop/settings.html", context, status=422 if is_at_fault else 200)
