"""The page of the workshop's settings."""

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from kentrobar.ui.request import Request

from .forms import SettingsForm
from .models import Settings


@require_http_methods(["GET", "POST"])
def settings(request: Request) -> HttpResponse:
    """What counts against a recipe, cutting, what players notice, what work costs."""
    form = SettingsForm(request.POST or None, instance=Settings.load())
    if request.method == "POST" and form.is_valid():
        form.save()
        messages.success(request, "Saved. Recipes are found by these from now on.")
        return redirect("settings")
    return render(request, "shop/settings.html", {"form": form}, status=422 if form.errors else 200)
