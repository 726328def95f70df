from django.apps import AppConfig


class RecipesConfig(AppConfig):
    name = "kentrobar.recipes"

    def ready(self) -> None:
        from kentrobar.ui.slots import fill

        fill("frames-actions", "recipes/_quick_action.html", lambda request, _: {})
        from .stroking import of_compared

        fill("compared", "recipes/_compared.html", of_compared)
        fill("plan-actions", "recipes/_plan_action.html", lambda request, plan: {"plan": plan})
