"""The list of plans: how many there are, without looking at each."""

from functools import cached_property

from django.core.paginator import Paginator

from .models import Plan


class AllPlans(Paginator):
    """Pages of all plans at hand. They are counted by their index alone: to look at the frame of
    each took half the page's time among ten years' plans."""

    @cached_property
    def count(self) -> int:
        here = Plan.objects.filter(removed_at=None)
        return here.count() - here.exclude(frame__removed_at=None).count()
