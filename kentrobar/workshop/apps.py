from django.apps import AppConfig


class WorkshopConfig(AppConfig):
    name = "kentrobar.workshop"

    def ready(self) -> None:
        from kentrobar.frames import fitted
        from kentrobar.ui.slots import fill

        from .fitted import fittings

        fitted.told_by(fittings)
        fill("plan-actions", "workshop/_plan_actions.html", lambda request, plan: {"plan": plan})
        fill("settings-actions", "workshop/_settings_action.html", lambda request, _: {})
