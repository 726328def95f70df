from django.apps import AppConfig


class MeasuringConfig(AppConfig):
    name = "kentrobar.measuring"
    label = "measuring"
