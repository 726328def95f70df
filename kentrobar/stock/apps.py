from django.apps import AppConfig


class StockConfig(AppConfig):
    name = "kentrobar.stock"
