"""What a phone keeps of us: the name and mark under which it is put on the first screen, and a page
for when the server cannot be reached. Nothing of the shop is kept there."""

from __future__ import annotations

from django.contrib.auth.decorators import login_not_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.templatetags.static import static
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_safe

from kentrobar import __version__

GREEN, BENCH = "#26413a", "#ece9e0"


@login_not_required
@require_safe
@cache_control(public=True, max_age=3600)
def manifest(request: HttpRequest) -> HttpResponse:
    mark = {"src": static("mark.svg"), "sizes": "any", "type": "image/svg+xml", "purpose": "any"}
    return JsonResponse(
        {
            "name": "Kentrobar", "short_name": "Kentrobar", "start_url": "/bench/", "scope": "/",
            "display": "standalone", "theme_color": GREEN, "background_color": BENCH,
            "icons": [mark],
        },
        content_type="application/manifest+json",
    )  # fmt: skip


@login_not_required
@require_safe
@cache_control(no_cache=True)
def worker(request: HttpRequest) -> HttpResponse:
    """The service worker, which names what of this version it keeps."""
    return render(
        request, "shell/worker.js", {"version": __version__}, content_type="text/javascript"
    )


@login_not_required
@require_safe
@cache_control(public=True, max_age=3600)
def offline(request: HttpRequest) -> HttpResponse:
    return render(request, "shell/offline.html")
