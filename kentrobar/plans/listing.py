"""The list of plans: how many there are, without looking at each."""

from functools import cached_property
from typing import Any

from django.core.paginator import Page, Paginator

from .models import Plan


class AllPlans(Paginator):
    """Pages of all plans at hand. They are counted by their index alone: to look at the frame of
    each took half the page's time among ten years' plans. Which are on a page is asked first: what
    is said of each, as how many pieces it has, is else reckoned for all of them."""

    @cached_property
    def count(self) -> int:
        here = Plan.objects.filter(removed_at=None)
        return here.count() - here.exclude(frame__removed_at=None).count()

    def page(self, number: int | str) -> Page:
        asked = self.validate_number(number)
        last = asked * self.per_page
        rows: Any = self.object_list
        keys = rows.values("pk")[last - self.per_page : last]
        return Page(rows.filter(pk__in=keys), asked, self)
