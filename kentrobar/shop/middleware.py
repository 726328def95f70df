"""The shop's clock on every request: what a page calls today begins at the shop's own midnight."""

from collections.abc import Callable

from django.db import DatabaseError
from django.http import HttpRequest, HttpResponse
from django.utils import timezone

from .models import remembered


class ShopTime:
    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        # Where the database is gone, what a page needs of it says so; health must still answer.
        try:
            zone = remembered().zone()
        except DatabaseError:
            zone = timezone.get_default_timezone()
        # A thread serves one request after the other: the zone of the last must not stay.
        with timezone.override(zone):
            return self.get_response(request)
