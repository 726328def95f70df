"""``manage.py restore_backup FILE``: a backup in the place of the database, or nothing changed."""

from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError
from django.db import connection

from kentrobar.backups import store


class Command(BaseCommand):
    help = "Put a backup in the place of the database; what was there is kept beside it."

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("file", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        connection.close()
        try:
            made, aside = store.restore(settings.DATABASE_ADDRESS, options["file"])
        except (store.BackupError, OSError) as error:
            raise CommandError(f"Nothing was changed: {error}") from None
        call_command("migrate", verbosity=0, interactive=False)
        self.stdout.write(
            f"Restored {made.rows} rows of {made.made:%Y-%m-%d %H:%M} UTC. What was there before is"
            f" the database {aside}."
        )
