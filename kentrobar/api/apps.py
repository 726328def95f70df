from django.apps import AppConfig


class ApiConfig(AppConfig):
    name = "kentrobar.api"
    label = "api"
