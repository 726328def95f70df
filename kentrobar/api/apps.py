from django.apps import AppConfig


class ApiConfig(AppConfig):
    name = "kentrobar.api"
    label = "api"

    def ready(self) -> None:
        from kentrobar.ui.slots import fill

        fill("programs-foot", "api/_described.html", lambda request, door: {"door": door})
