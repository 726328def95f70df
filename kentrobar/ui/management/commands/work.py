"""``manage.py work``: do what pages put into the queue until stopped. Any number of them may run,
on any machine that reaches the database."""

import os
from typing import Any

from django.core.management.base import BaseCommand, CommandParser
from procrastinate.contrib.django import app

from kentrobar.ui.background import BEAT_S, SILENT_S

AT_ONCE = 3
FAREWELL_S = 1.0


class Command(BaseCommand):
    help = "Do the work beside the pages (searches, tables, paper) until stopped."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--at-once", type=int, default=AT_ONCE, help=f"default: {AT_ONCE}")

    def handle(self, *args: Any, **options: Any) -> None:
        connector: Any = app.connector
        with app.replace_connector(connector.get_worker_connector()) as working:
            working.run_worker(
                concurrency=options["at_once"], delete_jobs="successful",
                update_heartbeat_interval=BEAT_S, stalled_worker_timeout=SILENT_S,
                shutdown_graceful_timeout=FAREWELL_S,
            )  # fmt: skip
        # What a thread still reckons is back in the queue: nobody waits for its end.
        os._exit(0)
