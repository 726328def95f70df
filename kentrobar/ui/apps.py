from django.apps import AppConfig


class WebConfig(AppConfig):
    name = "kentrobar.ui"
    label = "web"
