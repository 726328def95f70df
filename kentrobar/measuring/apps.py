from django.apps import AppConfig


class MeasuringConfig(AppConfig):
    name = "kentrobar.measuring"

    def ready(self) -> None:
        from kentrobar.ui.slots import fill

        from . import slots

        fill("frame-actions", "measuring/_frame_action.html", slots.frame_action)
        fill("frame-readings", "measuring/_frame_readings.html", slots.frame_readings)
        fill("parts-actions", "measuring/_parts_action.html", slots.parts_action)
