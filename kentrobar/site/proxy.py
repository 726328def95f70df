"""Who asks, where a proxy stands before the application."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from ipaddress import ip_address

from django.conf import settings
from django.core.exceptions import MiddlewareNotUsed
from django.http import HttpRequest, HttpResponse


class WhoAsks:
    """Puts the address the proxy saw in the place of the proxy's own: the last one it wrote down,
    for what stands before that anybody may have sent. Not used without a proxy (KENTROBAR_PROXY):
    then the header is anybody's word."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        if not settings.PROXY:
            raise MiddlewareNotUsed
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        last = request.META.get("HTTP_X_FORWARDED_FOR", "").rpartition(",")[2].strip()
        with contextlib.suppress(ValueError):  # nothing, or no address: the proxy itself asks
            request.META["REMOTE_ADDR"] = str(ip_address(last))
        return self.get_response(request)
