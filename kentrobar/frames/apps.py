from django.apps import AppConfig


class FramesConfig(AppConfig):
    name = "kentrobar.frames"
    label = "frames"
