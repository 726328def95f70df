"""``manage.py prepare``: bring the database and static files up to this version, before a start."""

from __future__ import annotations

from contextlib import suppress
from hashlib import sha256
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError
from django.db import ProgrammingError, connection
from django.db.migrations.executor import MigrationExecutor

from kentrobar.backups import store

MARK = "Kentrobar, key "


class Command(BaseCommand):
    help = (
        "Bring the database and static files up to this version; back up an older database first."
    )

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument(
            "--without-backup", action="store_true", help="migrate even if no backup can be made"
        )

    def handle(self, *args: Any, without_backup: bool, **options: Any) -> None:
        store.clear_left(settings.DATABASE_ADDRESS, settings.BACKUPS)
        executor = MigrationExecutor(connection)
        is_used = bool(executor.loader.applied_migrations)
        is_behind = bool(executor.migration_plan(executor.loader.graph.leaf_nodes()))
        if is_used and is_behind and not without_backup:
            self._back_up()
        call_command("migrate", verbosity=0, interactive=False)
        call_command("collectstatic", verbosity=0, interactive=False, clear=True)
        self._compare_key()

    def _back_up(self) -> None:
        try:
            made = store.make(settings.DATABASE_ADDRESS, settings.BACKUPS)
        except (store.BackupError, OSError) as error:
            raise CommandError(
                f"The database is of an older version, and it cannot be backed up: {error}."
                " Fix that, or start once with --without-backup."
            ) from None
        self.stdout.write(
            f"The database is of an older version: backed up first, to {made.path}."
            " docs/running.md says how to go back."
        )

    def _compare_key(self) -> None:
        """Say where another secret key was used with this database before: with two of them,
        whoever signs in at one server is signed out at the other. The database keeps a digest."""
        name = connection.ops.quote_name(connection.settings_dict["NAME"])
        digest = sha256(f"mark of {settings.SECRET_KEY}".encode()).hexdigest()
        mark = f"{MARK}{digest[:12]}"
        with connection.cursor() as cursor:
            cursor.execute(
                "select shobj_description(oid, 'pg_database') from pg_database"
                " where datname = current_database()"
            )
            (before,) = cursor.fetchone()
            if before == mark:
                return
            if before and before.startswith(MARK):
                self.stderr.write(
                    "This database was used with another secret key before: everybody signs in"
                    " again. Several servers need the same KENTROBAR_SECRET_KEY."
                )
            with suppress(ProgrammingError):  # a role that does not own the database
                cursor.execute(f"comment on database {name} is %s", [mark])
