from django.apps import AppConfig


class WebConfig(AppConfig):
    name = "kentrobar.ui"
    label = "web"

    def ready(self) -> None:
        from .faults import speak_plainly

        speak_plainly()
