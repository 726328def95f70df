from django.apps import AppConfig


class WebConfig(AppConfig):
    name = "kentrobar.web"
    label = "web"
