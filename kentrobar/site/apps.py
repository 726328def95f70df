"""What lower rooms are told of those above them, in one place."""

from django.apps import AppConfig


class SiteConfig(AppConfig):
    name = "kentrobar.site"

    def ready(self) -> None:
        from kentrobar.frames import above
        from kentrobar.plans import slots
        from kentrobar.stock import shelf
        from kentrobar.workshop import thread
        from kentrobar.workshop.fitted import fittings
        from kentrobar.workshop.sets.band import set_targets

        above.register(
            above.RoomsAbove(
                counted=slots.counted,
                wants_twist=slots.wants_twist,
                products=shelf.by_the_piece,
                spoken=thread.spoken,
                fittings=fittings,
                set_targets=set_targets,
            )
        )
