from django.apps import AppConfig


class PlanningConfig(AppConfig):
    name = "kentrobar.planning"
    label = "planning"
