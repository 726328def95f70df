from django.apps import AppConfig


class WorkshopConfig(AppConfig):
    name = "kentrobar.workshop"

    def ready(self) -> None:
        from kentrobar.frames import fitted

        from .fitted import fittings

        fitted.told_by(fittings)
