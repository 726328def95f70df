from django.apps import AppConfig


class RecipesConfig(AppConfig):
    name = "kentrobar.recipes"
