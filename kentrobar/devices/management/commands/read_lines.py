"""``manage.py read_lines``: keep every instrument's line open until stopped."""

import signal
import threading
from typing import Any

from django.core.management.base import BaseCommand

from kentrobar.devices.reader import read_lines


class Command(BaseCommand):
    help = "Read the lines of all connected instruments until stopped."

    def handle(self, *args: Any, **options: Any) -> None:
        stop = threading.Event()
        for wanted in (signal.SIGTERM, signal.SIGINT):
            signal.signal(wanted, lambda *_: stop.set())
        read_lines(stop, self.stdout.write)
