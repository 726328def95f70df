from django.apps import AppConfig


class StockConfig(AppConfig):
    name = "kentrobar.stock"

    def ready(self) -> None:
        from kentrobar.frames import above

        from . import shelf

        above.lies_on(shelf.by_the_piece)
