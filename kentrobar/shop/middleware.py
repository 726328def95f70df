"""The shop's clock on every request: what a page calls today begins at the shop's own midnight."""

from collections.abc import Callable
from contextlib import AbstractContextManager
from datetime import tzinfo

from django.db import DatabaseError
from django.http import HttpRequest, HttpResponse
from django.utils import timezone

from . import decimals
from .models import remembered


def shop_time() -> AbstractContextManager[None]:
    """The shop's zone for a request, or for work beside the page. A thread does one after the
    other: the zone of the last must not stay."""
    # Where the database is gone, what a page needs of it says so; health must still answer.
    try:
        zone: tzinfo = remembered().zone()
    except DatabaseError:
        zone = timezone.get_default_timezone()
    return timezone.override(zone)


class ShopTime:
    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        with shop_time():
            return self.get_response(request)


class DecimalMark:
    """Pages with the shop's decimal mark."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        answer = self.get_response(request)
        if not answer.streaming and answer.headers.get("Content-Type", "").startswith("text/html"):
            html = answer.content.decode(answer.charset)
            marked = decimals.written(html)
            if marked is not html:
                answer.content = marked.encode(answer.charset)
        return answer
