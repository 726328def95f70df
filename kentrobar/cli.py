"""The command ``kentrobar``: what the core computes, and what keeps a shop running.

kentrobar predict plan.json             what a plan does
kentrobar reduce reading.json           what a raw reading comes to
kentrobar solve brief.json              recipes that reach targets
kentrobar match set.json                one target for a set, and a recipe for each
kentrobar serve --bind 127.0.0.1:8000   the application, on the database of DATABASE_URL
kentrobar backup --to /mnt/usb          a backup, checked
kentrobar restore FILE                  a backup in the place of the database
kentrobar work                          the work beside the pages
kentrobar bridge https://bench.example.com --token-file t     what instruments here say, told there
kentrobar shelf > shelf.json            what is on the shelf, for another shop to begin with
kentrobar user una --role owner         a link that makes an account, or a new password
kentrobar version
"""

from __future__ import annotations

import argparse
import os
import sys

from kentrobar import __version__
from kentrobar.core import cli as core

ROLES = ("owner", "bench", "counter", "guest")


def main(argv: list[str] | None = None) -> int:
    """Run one command; its exit status."""
    given = sys.argv[1:] if argv is None else argv
    if given and given[0] in core.COMMANDS:
        return core.main(given, prog="kentrobar")
    asked = _parser().parse_args(given)
    match asked.command:
        case "version":
            print(f"Kentrobar {__version__}")
            return 0
        case "serve":
            return _serve(asked.bind, ["--without-backup"] if asked.without_backup else [])
        case "backup":
            return _managed("backup", *(["--to", asked.to] if asked.to else []))
        case "restore":
            return _managed("restore_backup", asked.file)
        case "work":
            return _managed("work")
        case "bridge":
            return _bridge(asked)
        case "shelf":
            return _managed("shelf", *([asked.file] if asked.file else []))
        case _:
            return _managed("let_in", asked.name, "--role", asked.role)


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="kentrobar", description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND")
    for name, (_, summary) in core.COMMANDS.items():
        commands.add_parser(name, help=summary)
    serve = commands.add_parser("serve", help="the application, by gunicorn")
    serve.add_argument("--bind", default="127.0.0.1:8000", help="address and port")
    older = "migrate an older database even if it cannot be backed up"
    serve.add_argument("--without-backup", action="store_true", help=older)
    backup = commands.add_parser("backup", help="make a backup and check it")
    backup.add_argument("--to", help="another folder than the usual")
    restore = commands.add_parser("restore", help="put a backup in the place of the database")
    restore.add_argument("file")
    commands.add_parser("work", help="do the work beside the pages until stopped")
    bridge = commands.add_parser("bridge", help="send what instruments here say to a server")
    bridge.add_argument("server", help="its address, as a browser would open it")
    bridge.add_argument("--token-file", required=True, help="holds a token for a bridge")
    line = "a line beside this machine's serial ports, as pyserial names it; may be repeated"
    bridge.add_argument("--line", action="append", default=[], help=line)
    own = "the certificate of the shop's own authority, from the server's page /trust/"
    bridge.add_argument("--authority", default="", help=own)
    shelf = commands.add_parser("shelf", help="print the shelf, or take one over from a file")
    shelf.add_argument("file", nargs="?")
    user = commands.add_parser("user", help="a link that makes an account or sets a password")
    user.add_argument("name", help="a sign-in name; one that is known gets a new password")
    user.add_argument("--role", choices=ROLES, default="bench")
    commands.add_parser("version", help="print the version")
    return parser


def _managed(*command: str) -> int:
    """One of Django's commands; the core's own start without it."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kentrobar.site.settings")
    os.environ.setdefault("KENTROBAR_PATIENT", "1")
    from django.core.exceptions import ImproperlyConfigured
    from django.core.management import CommandError, execute_from_command_line
    from django.db import DatabaseError

    try:
        execute_from_command_line(["kentrobar", *command])
    except (CommandError, ImproperlyConfigured, DatabaseError) as error:
        print(str(error).splitlines()[0], file=sys.stderr)
        return 1
    return 0


def _bridge(asked: argparse.Namespace) -> int:
    import signal
    import threading
    from pathlib import Path

    from kentrobar.devices.bridge import Bridge

    try:
        token = Path(asked.token_file).read_text().strip()
    except OSError as error:
        print(error, file=sys.stderr)
        return 1
    stop = threading.Event()
    for wanted in (signal.SIGTERM, signal.SIGINT):
        signal.signal(wanted, lambda *_: stop.set())
    Bridge(asked.server, token, asked.line, asked.authority).run(stop)
    return 0


def _serve(bind: str, options: list[str]) -> int:
    if _managed("prepare", *options):
        return 1
    from django.conf import settings

    from kentrobar.accounts import doors

    doors.tell(f"http://{bind}/", settings.LOCAL, doors.HERE)
    served = ["kentrobar.site.wsgi:application", "--bind", bind, "--workers", "2"]
    served += ["--threads", "32"]
    return os.execv(sys.executable, [sys.executable, "-m", "gunicorn", *served])


if __name__ == "__main__":
    sys.exit(main())
