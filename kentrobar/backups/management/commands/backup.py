"""``manage.py backup``: one backup, checked, and the oldest dropped."""

from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError

from kentrobar.backups import store


class Command(BaseCommand):
    help = "Make a backup, restore it into a scratch database to see that it is whole, rotate."

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("--to", type=Path, help="another folder; nothing is dropped there")

    def handle(self, *args: Any, **options: Any) -> None:
        where = options["to"] or settings.BACKUPS
        try:
            made = store.make(settings.DATABASE_ADDRESS, where)
        except (store.BackupError, OSError) as error:
            raise CommandError(f"No backup was made: {error}") from None
        dropped = [] if options["to"] else store.rotate(where)
        self.stdout.write(f"{made.path}: {made.rows} rows, checked. {len(dropped)} older dropped.")
