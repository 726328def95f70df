"""bin/demo: database, migrations, demo data, the application; stops cleanly on Ctrl-C."""

from __future__ import annotations

import argparse
import contextlib
import os
import secrets
import sys
from collections.abc import Iterator

from . import services
from .front import Front
from .network import Network, told
from .ports import port_of
from .postgres import GIVEN_URL, Cluster, StartError, held
from .services import Service, Watch, python

FIRST_PORT = 8731
SECURE_PORT = 8741
SIMULATORS_PORT = 7710


def main(argv: list[str]) -> int:
    parser = argparse.ArgumentParser(prog="bin/demo", description="Start Kentrobar with demo data.")
    parser.add_argument("--port", type=int, help=f"default: {FIRST_PORT}, or the next free one")
    parser.add_argument(
        "--reset", action="store_true", help="throw the demo database away and start over"
    )
    parser.add_argument(
        "--lan", action="store_true", help="let phones of this network in as well, over HTTPS"
    )
    options = parser.parse_args(argv)
    if options.port is not None and not 1 <= options.port <= 65535:
        parser.error("a port lies between 1 and 65535")
    services.ends_on_signals()
    services.speaks_at_once()
    try:
        with (
            held("postgres") as cluster,
            demo(options.port, options.reset, cluster) as (watch, front),
        ):
            from kentrobar.demo.workshop import PASSWORD, USER

            print(f"\nKentrobar is at {front.address}\nSign in as {USER}, password {PASSWORD}.")
            network = Network(watch, front, SECURE_PORT)
            if options.lan:
                network.open()
                print(told(network.address))
            print("Ctrl-C stops it.", flush=True)
            watch.forever(network.tend)
    except KeyboardInterrupt:
        print("\nStopped.")
    except StartError as trouble:
        print(f"bin/demo: {trouble}", file=sys.stderr)
        return 1
    return 0


@contextlib.contextmanager
def served(port: int | None, reset: bool = False) -> Iterator[str]:
    """The application with demo data, on the database of DATABASE_URL; yields its address."""
    with demo(port, reset) as (_, front):
        yield front.address


@contextlib.contextmanager
def demo(
    port: int | None, reset: bool = False, cluster: Cluster | None = None
) -> Iterator[tuple[Watch, Front]]:
    """Everything of the demo, running: what looks after it, and the server before it."""
    port = port_of("demo", FIRST_PORT, wanted=port)
    simulators = port_of("simulators", SIMULATORS_PORT, count=5)
    os.environ |= {
        "DJANGO_SETTINGS_MODULE": "kentrobar.site.settings",
        "KENTROBAR_DEMO": "1",
        "KENTROBAR_SIMULATORS": str(simulators),
        # Of this start alone: another clone's simulators take no orders from here.
        "KENTROBAR_SIMULATORS_SECRET": secrets.token_urlsafe(16),
    }
    os.environ.pop("KENTROBAR_DEBUG", None)
    _fill(reset, simulators)
    front = Front(f"127.0.0.1:{port}")
    with Watch([*helpers(simulators), *front.services()], cluster).running() as watch:
        services.wait_for([front.application, front.server], front.address)
        yield watch, front


def helpers(simulators: int, *options: str) -> list[Service]:
    """The simulator instruments, the reader of their lines, and the workers."""
    command = ("-m", "kentrobar.demo.simulators", "--port", str(simulators), *options)
    played = python("the simulators", *command, is_quiet=True)
    return [played, services.reader(), *services.workers()]


def _fill(reset: bool, simulators: int) -> None:
    import django

    django.setup()
    from django.core.management import call_command
    from django.db import connection

    if reset:
        if GIVEN_URL:
            raise StartError(
                "starting over would empty the database of DATABASE_URL: empty it yourself"
            )
        with connection.cursor() as cursor:
            cursor.execute("drop schema public cascade")
            cursor.execute("create schema public")
    call_command("prepare")
    call_command("load_demo")
    from kentrobar.demo.instruments import plug_in

    plug_in(simulators)
    connection.close()


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
