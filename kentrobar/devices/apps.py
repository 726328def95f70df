from django.apps import AppConfig


class DevicesConfig(AppConfig):
    name = "kentrobar.devices"
    label = "devices"
