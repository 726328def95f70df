"""What is removed can be put back: from the message at once, from the list later."""

import re

from kentrobar.frames.models import Frame
from kentrobar.measuring.models import Instrument
from kentrobar.plans.models import Plan
from kentrobar.ui.undo import LISTED_FOR


def undo_addresses(page: str) -> list[str]:
    return re.findall(r'action="(/removed/[^"]+)"', page)


def test_a_message_carries_the_address_that_takes_it_back(bench, plan):
    page = bench.post(f"/plans/{plan.pk}/delete/", follow=True).content.decode()
    assert "Deleted Plan 1." in page
    (address,) = undo_addresses(page)
    assert not Plan.live.exists()
    assert bench.post(address).url == plan.get_absolute_url()
    assert Plan.live.get() == plan


def test_the_list_of_what_was_removed_lately_puts_back_frames_and_instruments_alike(bench, racket):
    made = Instrument.objects.create(
        name="Skerrow scale", kind="scale", resolution=0.1, drift_band=0.3
    )
    bench.post(f"/instruments/{made.pk}/archive/")
    bench.post(f"/frames/{racket.pk}/delete/")
    page = bench.get("/removed/").content.decode().split("<table")[1]
    assert page.index(str(racket)) < page.index("Skerrow scale"), "the newest first"
    for address in undo_addresses(page):
        assert bench.post(address).status_code == 302
    assert Frame.live.get() == racket
    assert Instrument.live.get() == made


def test_what_was_removed_long_ago_is_off_the_list_and_not_lost(bench, racket):
    racket.remove()
    Frame.objects.filter(pk=racket.pk).update(removed_at=racket.removed_at - LISTED_FOR * 1.01)
    assert not undo_addresses(bench.get("/removed/").content.decode())
    bench.post(racket.undo_address)
    assert Frame.live.get() == racket


def test_a_plan_is_not_put_back_onto_a_frame_that_is_gone(bench, plan):
    plan.remove()
    plan.frame.remove()
    assert str(plan) not in bench.get("/removed/").content.decode()
    assert bench.post(plan.undo_address).status_code == 404


def test_only_what_can_be_removed_is_restored(bench, user):
    assert bench.post(f"/removed/auth.user/{user.pk}/restore/").status_code == 404
    assert bench.post("/removed/frames.frame/99/restore/").status_code == 404
