from django.apps import AppConfig


class BackupsConfig(AppConfig):
    name = "kentrobar.backups"
    label = "backups"

    def ready(self) -> None:
        from kentrobar.ui.slots import fill

        from .views import standing

        fill("settings-foot", "backups/_standing.html", lambda request, _: standing())
