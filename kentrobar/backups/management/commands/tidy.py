"""``manage.py tidy``: clear away what nobody needs any more."""

from typing import Any

from django.core.management.base import BaseCommand

from kentrobar.backups.tidy import tidy


class Command(BaseCommand):
    help = "Clear away ended sessions, stale drafts, steps of quiet plans."

    def handle(self, *args: Any, **options: Any) -> None:
        gone = {name: count for name, count in tidy().items() if count}
        said = ", ".join(f"{count} {name}" for name, count in gone.items())
        self.stdout.write(f"Cleared away: {said or 'nothing'}.")
