"""The reader of every request and of work beside the page, as the shop writes numbers and time."""

from collections.abc import Callable
from contextlib import AbstractContextManager
from dataclasses import replace

from django.db import DatabaseError
from django.http import HttpRequest, HttpResponse

from kentrobar.core.reader import Reader, read_by, the_reader
from kentrobar.ui.reading import DOCUMENTS, ENGLISH, chosen_units, told_to

from .models import remembered


def in_shop(who: Reader | None = None) -> AbstractContextManager[None]:
    """Everything within is told to a reader by the shop's clock and with its decimal mark."""
    # Where the database is gone, what a page needs of it says so; health must still answer.
    who = who or Reader()
    try:
        shop = remembered()
    except DatabaseError:
        return told_to(who)
    return told_to(replace(who, zone=shop.zone().key, decimal_mark=shop.decimal_mark))


def to_customer(language: str, units: Reader | None = None) -> AbstractContextManager[None]:
    """What a customer reads: in their language ('' for English), in ``units``."""
    who = replace(units or the_reader(), language=language or ENGLISH)
    mark = "," if who.language != ENGLISH else remembered().decimal_mark
    return told_to(replace(who, decimal_mark=mark, zone=remembered().zone().key))


class ForReader:
    """Middleware: a request is answered in the units of whoever asks. Programs get documents as
    they are defined, but the shop's days."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        with in_shop(chosen_units(request)):
            if not request.path.startswith(DOCUMENTS):
                return self.get_response(request)
            with read_by(replace(the_reader(), decimal_mark=".")):
                return self.get_response(request)
