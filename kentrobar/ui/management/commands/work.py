"""``manage.py work``: do what pages put into the queue until stopped. Any number of them may run,
on any machine that reaches the database.

What a film or a search brings along stays in memory when it is done. A worker that grew so begins
anew, as the same process, when it has nothing to do.
"""

import asyncio
import os
import resource
import signal
import sys
import time
from contextlib import suppress
from pathlib import Path
from threading import Thread
from typing import Any

from django.core.management.base import BaseCommand, CommandParser
from procrastinate import App
from procrastinate.contrib.django import app

from kentrobar.ui.background import BEAT_S, LANES, SILENT_S, going, has_worked

FAREWELL_S = 1.0
"""For what is going on when it is told to end; then work is told to stop where it is."""
LAST_S = 5.0
"""Work that waits for others, as in the database, does not hear that. It is left where it stands,
as if the worker had been killed."""
MOST_MB = 120
"""Memory of an idle worker, MB."""
LOOK_EVERY_S = 5.0


class Command(BaseCommand):
    help = "Do the work beside the pages (searches, tables, paper) until stopped."
    has_grown = is_ending = False

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument(
            "--lanes", type=lambda text: text.split(","), default=[*LANES],
            help=f"what to take from the queue, comma separated; default: {','.join(LANES)}",
        )  # fmt: skip
        parser.add_argument("--most-mb", type=int, default=MOST_MB, help=f"default: {MOST_MB}")

    def handle(self, *args: Any, **options: Any) -> None:
        Thread(target=self._look, args=(options["most_mb"],), name="size", daemon=True).start()
        connector: Any = app.connector
        with app.replace_connector(connector.get_worker_connector()) as working:
            asyncio.run(self._work(working, options["lanes"]))
        if self.has_grown:
            os.execv(sys.executable, [sys.executable, *sys.orig_argv[1:]])

    async def _work(self, working: App, lanes: list[str]) -> None:
        """Work until told to end; told twice, it ends there and then."""
        loop = asyncio.get_running_loop()

        def end() -> None:
            if self.is_ending:
                os._exit(0)
            self.is_ending = True
            at_work.cancel()
            loop.call_later(LAST_S, os._exit, 0)

        async with working.open_async():
            at_work = asyncio.gather(
                *(
                    working.run_worker_async(
                        queues=[lane], concurrency=LANES[lane], delete_jobs="successful",
                        update_heartbeat_interval=BEAT_S, stalled_worker_timeout=SILENT_S,
                        shutdown_graceful_timeout=FAREWELL_S, install_signal_handlers=False,
                    )
                    for lane in lanes
                )
            )  # fmt: skip
            for number in (signal.SIGTERM, signal.SIGINT):
                loop.add_signal_handler(number, end)
            with suppress(asyncio.CancelledError):
                await at_work

    def _look(self, most_mb: int) -> None:
        """End in order once work has made it large and nothing is going on; what it takes up in
        that moment goes back into the queue. One that is large from the beginning would be so
        again."""
        while True:
            time.sleep(LOOK_EVERY_S)
            if has_worked.is_set() and not going and size_mb() > most_mb:
                self.has_grown = True
                os.kill(os.getpid(), signal.SIGTERM)
                return


def size_mb() -> float:
    """What this process holds in memory now."""
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * resource.getpagesize() / 1e6
