from typing import Any

from django.apps import AppConfig


class WorkshopConfig(AppConfig):
    name = "kentrobar.workshop"

    def ready(self) -> None:
        from django.db import models
        from django.db.models.signals import post_save

        from kentrobar.frames.models import Reading
        from kentrobar.plans.models import Plan
        from kentrobar.ui.slots import fill

        from . import calendar, liked, links, thread
        from .advance import advanced
        from .models import Card, Sheet, Trial

        def kept(sender: type[models.Model], instance: Any, created: bool, **_: Any) -> None:
            """Something about a frame was kept: its jobs may be a step further."""
            if getattr(instance, "stands_alike", False):
                return
            frame = instance.frame_id if hasattr(instance, "frame_id") else instance.plan.frame_id
            advanced([frame])

        for model in (Reading, Plan, Trial, Sheet, Card):
            post_save.connect(
                kept, sender=model, weak=False, dispatch_uid=f"thread-{model.__name__}"
            )
        fill("thread", "workshop/_thread.html", thread.at_head)
        fill("frame-actions", "workshop/_frame_label.html", lambda request, page: {"page": page})
        fill(
            "frame-plans", "workshop/_frame_links.html",
            lambda request, page: {"links": links.of_frame(page.frame)},
        )  # fmt: skip
        fill("player-likes", "workshop/_likes.html", liked.shown)
        fill("instruments-actions", "workshop/_own_figures.html", lambda request, page: {})
        fill("settings-actions", "workshop/_settings_action.html", calendar.of_settings)
