"""``manage.py load_demo``: the demo workshop, where the database has no account yet."""

from typing import Any

from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand

from kentrobar.demo import workshop as demo


class Command(BaseCommand):
    help = "Load the demo workshop into an empty database."

    def handle(self, *args: Any, **options: Any) -> None:
        if get_user_model().objects.exists():
            self.stdout.write("The database is in use already: no demo data loaded.")
            return
        demo.load()
        self.stdout.write("Demo workshop loaded.")
