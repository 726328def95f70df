from django.apps import AppConfig


class ShopConfig(AppConfig):
    name = "kentrobar.shop"

    def ready(self) -> None:
        from kentrobar.ui import background

        from .middleware import in_shop

        background.around = in_shop
