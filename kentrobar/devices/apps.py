from django.apps import AppConfig


class DevicesConfig(AppConfig):
    name = "kentrobar.devices"
    label = "devices"

    def ready(self) -> None:
        from django.db.models.signals import post_save

        from kentrobar.measuring import lines_here
        from kentrobar.measuring.models import Instrument
        from kentrobar.ui.slots import fill

        from .models import bridged_lines, follow

        lines_here.told_by(bridged_lines)
        post_save.connect(follow, sender=Instrument, dispatch_uid="devices-follow")
        fill("live-lines", "devices/_lines.html", lambda request, live: {"live": live})
