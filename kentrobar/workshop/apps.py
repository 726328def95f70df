from django.apps import AppConfig


class WorkshopConfig(AppConfig):
    name = "kentrobar.workshop"

    def ready(self) -> None:
        from kentrobar.planning import on_frame

        from .fitted import fittings

        on_frame.told_by(fittings)
