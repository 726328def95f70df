"""bin/demo: database, migrations, demo data, gunicorn; stops cleanly on Ctrl-C."""

from __future__ import annotations

import argparse
import contextlib
import os
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator

from . import ROOT
from .postgres import GIVEN_URL, Trouble, database, dies_with_parent

FIRST_PORT = 8731
SIMULATORS_PORT = 7710
SERVE_SECONDS = 40
ANSWER_SECONDS = 5


def main(argv: list[str]) -> int:
    parser = argparse.ArgumentParser(prog="bin/demo", description="Start Kentrobar with demo data.")
    parser.add_argument("--port", type=int, help=f"default: {FIRST_PORT}, or the next free one")
    parser.add_argument(
        "--reset", action="store_true", help="throw the demo database away and start over"
    )
    options = parser.parse_args(argv)
    if options.port is not None and not 1 <= options.port <= 65535:
        parser.error("a port lies between 1 and 65535")
    # All three, Ctrl-C too: a shell that starts us in the background has it ignored.
    signal.signal(signal.SIGINT, _interrupt)
    signal.signal(signal.SIGTERM, _interrupt)
    signal.signal(signal.SIGHUP, _interrupt)
    try:
        with database("postgres"), served(options.port, options.reset) as address:
            from kentrobar.demo.workshop import PASSWORD, USER

            print(
                f"\nKentrobar is at {address}\nSign in as {USER}, password {PASSWORD}.\nCtrl-C"
                " stops it."
            )
            sys.stdout.flush()
            while True:
                signal.pause()
    except KeyboardInterrupt:
        print("\nStopped.")
    except Trouble as trouble:
        print(f"bin/demo: {trouble}", file=sys.stderr)
        return 1
    return 0


@contextlib.contextmanager
def served(port: int | None, reset: bool = False) -> Iterator[str]:
    """The application with demo data on gunicorn, on the database of DATABASE_URL; yields its
    address."""
    port, simulators = _port(port), _five_ports()
    os.environ |= {
        "DJANGO_SETTINGS_MODULE": "kentrobar.site.settings",
        "KENTROBAR_DEMO": "1",
        "KENTROBAR_SIMULATORS": str(simulators),
    }
    os.environ.pop("KENTROBAR_DEBUG", None)
    _fill(reset, simulators)
    with helpers(simulators):
        yield from _serve(port)


@contextlib.contextmanager
def helpers(simulators: int, *options: str) -> Iterator[None]:
    """The simulator instruments, and the reader of their lines."""
    commands = (
        [sys.executable, "-m", "kentrobar.demo.simulators", "--port", str(simulators), *options],
        [sys.executable, "manage.py", "read_lines"],
    )
    started = [
        subprocess.Popen(
            command, cwd=ROOT, start_new_session=True, preexec_fn=dies_with_parent(signal.SIGTERM),
            stdout=subprocess.DEVNULL,
        )
        for command in commands
    ]  # fmt: skip
    try:
        yield
    finally:
        for one in started:
            one.terminate()
        for one in started:
            with contextlib.suppress(subprocess.TimeoutExpired):
                one.wait(5)
            one.kill()


def _serve(port: int) -> Iterator[str]:
    server = subprocess.Popen(
        [
            sys.executable, "-m", "gunicorn", "kentrobar.site.wsgi:application",
            "--bind", f"127.0.0.1:{port}", "--workers", "2", "--threads", "2",
            "--log-level", "warning", "--no-control-socket",
        ],
        cwd=ROOT, start_new_session=True, preexec_fn=dies_with_parent(signal.SIGTERM),
    )  # fmt: skip
    try:
        address = f"http://127.0.0.1:{port}/"
        _wait(server, address)
        yield address
    finally:
        server.terminate()
        with contextlib.suppress(subprocess.TimeoutExpired):
            server.wait(15)
        server.kill()


def _fill(reset: bool, simulators: int) -> None:
    import django

    django.setup()
    from django.core.management import call_command
    from django.db import connection

    if reset:
        if GIVEN_URL:
            raise Trouble(
                "starting over would empty the database of DATABASE_URL: empty it yourself"
            )
        with connection.cursor() as cursor:
            cursor.execute("drop schema public cascade")
            cursor.execute("create schema public")
    call_command("migrate", verbosity=0, interactive=False)
    call_command("load_demo")
    from kentrobar.demo.instruments import plug_in

    plug_in(simulators)
    call_command("collectstatic", verbosity=0, interactive=False, clear=True)
    connection.close()


def _port(wanted: int | None) -> int:
    for port in [wanted] if wanted else range(FIRST_PORT, FIRST_PORT + 50):
        with socket.socket() as probe:
            # As the server will bind: a port whose last run just ended is free.
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            with contextlib.suppress(OSError):
                probe.bind(("127.0.0.1", port))
                return port
    raise Trouble(f"port {wanted or FIRST_PORT} is taken: give another with --port")


def _five_ports() -> int:
    """A port with four free ones after it, for the simulators."""
    for first in range(SIMULATORS_PORT, SIMULATORS_PORT + 500, 10):
        with contextlib.ExitStack() as probes, contextlib.suppress(OSError):
            for port in range(first, first + 5):
                probe = probes.enter_context(socket.socket())
                probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
                probe.bind(("127.0.0.1", port))
            return first
    raise Trouble("no five free ports in a row for the simulator instruments")


def _wait(server: subprocess.Popen[bytes], address: str) -> None:
    deadline = time.monotonic() + SERVE_SECONDS
    while time.monotonic() < deadline and server.poll() is None:
        try:
            urllib.request.urlopen(address + "sign-in/", timeout=ANSWER_SECONDS).close()
            return
        except OSError:  # refused, or its first answer takes longer than that on a busy machine
            time.sleep(0.1)
    raise Trouble("the server did not start; its words are above")


def _interrupt(*_: object) -> None:
    raise KeyboardInterrupt


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
