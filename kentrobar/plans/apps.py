from django.apps import AppConfig


class PlansConfig(AppConfig):
    name = "kentrobar.plans"
    label = "planning"

    def ready(self) -> None:
        from kentrobar.ui.slots import fill

        from . import slots

        fill("frame-actions", "plans/_frame_action.html", slots.of_frame_page)
        fill("frame-plans", "plans/_frame_plans.html", slots.of_frame_page)
        fill("measured-actions", "plans/_measured_action.html", slots.measured_action)
