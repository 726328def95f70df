"""Sign-in everywhere, and the page above a form's address."""

from collections.abc import Callable
from contextlib import suppress
from typing import Any, cast
from urllib.parse import urlsplit

from django.conf import settings
from django.contrib.auth.middleware import LoginRequiredMiddleware
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import resolve_url
from django.urls import Resolver404, resolve
from django.utils.http import urlencode
from django_htmx.http import HttpResponseClientRedirect

from kentrobar.ui.request import Request

from .reading import DOCUMENTS


class SignInRequired(LoginRequiredMiddleware):
    """Every page needs sign-in. A script that asks after the session ended is sent there as a page
    would be, instead of getting the sign-in form as an answer to put into the board."""

    def handle_no_permission(self, request: HttpRequest, view_func: Any) -> Any:
        htmx = cast(Request, request).htmx
        if not htmx and request.method != "POST":
            return super().handle_no_permission(request, view_func)
        # What was posted is gone with the session: back to the page it was written on.
        there = sign_in_from(htmx.current_url_abs_path if htmx else page_of(request))
        return HttpResponseClientRedirect(there) if htmx else HttpResponseRedirect(there)


def sign_in_from(page: str | None) -> str:
    """The sign-in page, which leads back to ``page``."""
    return f"{resolve_url(settings.LOGIN_URL)}?{urlencode({'next': page or '/'})}"


def page_of(request: HttpRequest) -> str:
    """The page of this site a form was sent from, as its address says; '' where it does not."""
    page = urlsplit(request.headers.get("Referer", ""))
    if page.netloc != request.get_host():
        return ""
    return f"{page.path}?{page.query}" if page.query else page.path


class PageAbove:
    """The address of a form that is opened as a page (its answer stood there, and was loaded anew,
    or came back to in other units) leads to the page the form is on."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        is_look = request.method in ("GET", "HEAD") and not cast(Request, request).htmx
        if response.status_code == 405 and is_look and not request.path.startswith(DOCUMENTS):
            return HttpResponseRedirect(_above(request.path))
        return response


def _above(path: str) -> str:
    """The nearest address over it that there is; one of another form leads on by itself."""
    while path != "/":
        path = path.rstrip("/").rpartition("/")[0] + "/"
        with suppress(Resolver404):
            resolve(path)
            break
    return path
