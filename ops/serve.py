"""bin/serve: the shop's own Kentrobar, started, watched, and stopped cleanly on Ctrl-C.

One command does everything; under systemd its parts are programs of their own (``--part``), so that
each is started at boot, watched and logged by itself.
"""

from __future__ import annotations

import argparse
import os
import subprocess
import sys
from ipaddress import IPv4Address
from pathlib import Path

from kentrobar.accounts import doors

from . import LOCAL, ROOT, services, units
from .front import Front
from .network import Network
from .ports import port_of
from .postgres import GIVEN_URL, Cluster, StartError, held
from .services import Watch

FIRST_PORT = 8831
SECURE_PORT = 8841
PARTS = ("database", "web", "reader", "worker")


def main(argv: list[str]) -> int:
    options = _read(argv)
    os.environ["DJANGO_SETTINGS_MODULE"] = "kentrobar.site.settings"
    for name in ("KENTROBAR_DEBUG", "KENTROBAR_DEMO", "KENTROBAR_SIMULATORS"):
        os.environ.pop(name, None)
    if options.lan is not None:
        LOCAL.mkdir(parents=True, exist_ok=True)
        doors.choose(options.lan, LOCAL)
    services.ends_on_signals()
    services.speaks_at_once()
    try:
        if options.install:
            units.install(PARTS)
        elif options.remove:
            units.remove()
        elif options.part:
            _part(options.part)
        else:
            with held("postgres") as cluster:
                _serve(options, cluster)
    except KeyboardInterrupt:
        print("\nStopped.")
    except StartError as trouble:
        print(f"bin/serve: {trouble}", file=sys.stderr)
        return 1
    return 0


def _read(argv: list[str]) -> argparse.Namespace:
    parser = argparse.ArgumentParser(
        prog="bin/serve", description="Start this shop's own Kentrobar."
    )
    parser.add_argument("--port", type=int, help=f"default: {FIRST_PORT}, or the next free one")
    listen = "ADDRESS:PORT for plain HTTP instead, in a container"
    parser.add_argument("--listen", type=_place, help=listen)
    lan = "let phones of this network in, over HTTPS; the first page asks as well"
    parser.add_argument("--lan", action=argparse.BooleanOptionalAction, help=lan)
    shelf = "begin with the shelf of this clone's demo"
    parser.add_argument("--from-demo", action="store_true", help=shelf)
    older = "migrate an older database even if it cannot be backed up"
    parser.add_argument("--without-backup", action="store_true", help=older)
    what = parser.add_mutually_exclusive_group()
    what.add_argument("--install", action="store_true", help="start at boot, by systemd")
    what.add_argument("--remove", action="store_true", help="no longer start at boot")
    what.add_argument("--part", choices=PARTS, help=argparse.SUPPRESS)
    options = parser.parse_args(argv)
    if options.port is not None and not 1 <= options.port <= 65535:
        parser.error("a port lies between 1 and 65535")
    return options


def _place(text: str) -> str:
    """An IPv4 address and a port, as nginx listens to them."""
    address, _, port = text.rpartition(":")
    try:
        return f"{IPv4Address(address)}:{int(port)}"
    except ValueError:
        raise argparse.ArgumentTypeError(
            f"{text} is no ADDRESS:PORT, such as 0.0.0.0:8000"
        ) from None


def _serve(options: argparse.Namespace, cluster: Cluster | None) -> None:
    """Everything at once, until a signal ends it."""
    listen = options.listen
    if not listen:
        port = port_of("web", FIRST_PORT, wanted=options.port, may_move=False)
        listen = f"127.0.0.1:{port}"
    ready(*(["--without-backup"] if options.without_backup else []))
    if options.from_demo:
        take_shelf()
    front = Front(listen)
    everything = [*front.services(), services.reader(), *services.workers()]
    with Watch(everything, cluster).running() as watch:
        address = front.address
        services.wait_for([front.application, front.server], address)
        code = first_code()
        doors.tell(address, LOCAL, doors.HERE)
        print(f"\nKentrobar is at {address}")
        network = Network(watch, front, SECURE_PORT)
        network.follow()
        if not network.is_open:
            print("Phones are not let in yet: choose so on the first page, or give --lan.")
        if code:
            print(f"Make the owner's account there. It asks for this code: {code}")
        print("Ctrl-C stops it.", flush=True)
        watch.forever(network.follow)


def _part(part: str) -> None:
    """One part of it alone, as systemd starts it."""
    if part == "database":
        with held("postgres") as cluster:
            Watch([], cluster).forever()
    if not GIVEN_URL:
        os.environ["DATABASE_URL"] = Cluster("postgres").url
    watch = Watch([], None)
    with watch.running():
        if part == "web":
            front = Front(f"127.0.0.1:{port_of('web', FIRST_PORT, may_move=False)}")
            ready()
            for one in front.services():
                watch.add(one)
            doors.tell(front.address, LOCAL, doors.HERE)
            code = first_code()
            if code:
                print(f"Make the owner's account at {front.address}, code {code}")
            watch.forever(Network(watch, front, SECURE_PORT).follow)
        for one in [services.reader()] if part == "reader" else services.workers():
            watch.add(one)
        watch.forever()


def ready(*options: str) -> None:
    """Bring database and static files up to this version. In a process of its own: what watches
    the others stays small."""
    command = [sys.executable, "manage.py", "prepare", *options]
    if subprocess.run(command, cwd=ROOT, check=False).returncode:
        raise StartError("the database could not be prepared; the error is above")


def take_shelf(demo: Path = ROOT / ".local") -> None:
    """Put what lies on the demo's shelf on this one's; the demo stays as it is."""
    there = os.environ | {"KENTROBAR_LOCAL": str(demo)}
    there.pop("DATABASE_URL", None)
    told = subprocess.run(
        [sys.executable, "-m", "ops.tool", "shelf"], cwd=ROOT, env=there, check=False,
        stdout=subprocess.PIPE,
    )  # fmt: skip
    if told.returncode:
        raise StartError("the demo has no shelf: start bin/demo once, or leave --from-demo away")
    kept = LOCAL / "shelf.json"
    kept.write_bytes(told.stdout)
    put = subprocess.run([sys.executable, "manage.py", "shelf", str(kept)], cwd=ROOT, check=False)
    if put.returncode:
        raise StartError("the demo's shelf was not taken over; why stands above")


def first_code() -> str:
    """The code that lets somebody make the owner's account; empty where there is an account."""
    asked = subprocess.run(
        [sys.executable, "manage.py", "has_accounts"], cwd=ROOT, check=False
    ).returncode
    if asked == 0:
        doors.use_up(LOCAL)
        return ""
    return doors.make_code(LOCAL)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
