from django.apps import AppConfig


class ShopConfig(AppConfig):
    name = "kentrobar.shop"

    def ready(self) -> None:
        from kentrobar.ui import background

        from .middleware import shop_time

        background.around = shop_time
