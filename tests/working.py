"""Workers on the tests' own database, as bin/serve starts them."""

import contextlib
import os
import subprocess
import sys
import time

from django.conf import settings
from django.db import connection
from psycopg.conninfo import make_conninfo

from ops import ROOT
from ops.services import gunicorn


def worker(*options) -> subprocess.Popen:
    """One worker's process."""
    return _started("manage.py", "work", *options)


def server(port) -> subprocess.Popen:
    """A web server's process, which can be taken away from a browser that has it open."""
    return _started(*gunicorn(f"127.0.0.1:{port}"), KENTROBAR_DEBUG="1")


def surroundings(**environment) -> dict[str, str]:
    """The environment of a program on the tests' own database."""
    db = connection.settings_dict
    address = make_conninfo(
        host=db["HOST"], port=db["PORT"], dbname=db["NAME"], user=db["USER"],
        password=db["PASSWORD"],
    )  # fmt: skip
    return {"DATABASE_URL": address, "KENTROBAR_LOCAL": str(settings.LOCAL)} | environment


def _started(*command, **environment):
    known = os.environ | surroundings(**environment)
    return subprocess.Popen([sys.executable, *command], cwd=ROOT, env=known)


@contextlib.contextmanager
def working():
    """A worker at work, which goes on as it is however much memory its work takes."""
    process = worker("--most-mb", "2000")
    try:
        yield process
    finally:
        process.terminate()
        process.wait(20)


def until(true, what, seconds=60):
    deadline = time.monotonic() + seconds
    while not true():
        assert time.monotonic() < deadline, what
        time.sleep(0.05)
