from django.apps import AppConfig


class DevicesConfig(AppConfig):
    name = "kentrobar.devices"
    label = "devices"

    def ready(self) -> None:
        from kentrobar.ui.slots import fill

        fill("live-lines", "devices/_lines.html", lambda request, live: {"live": live})
