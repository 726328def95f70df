"""Run the README's commands on a fresh Debian: ``python -m ops.fresh trixie``, as root.

A clean root is made with debootstrap (from Debian), this clone's committed state is put into it,
and each command runs there as the README says, timed. What the machine itself needs to reach its
package registries (pip's and apt's settings, name servers) is copied in; nothing else is.
"""

from __future__ import annotations

import argparse
import os
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

from . import ROOT

HERE = "opt/kentrobar"
SHARED = ("etc/resolv.conf", "etc/hosts", "etc/pip.conf", "etc/ssl/certs")
ANSWERS_IN_S = 900
STARTS = {"demo": "Kentrobar is at", "serve": "Kentrobar is at"}
"""Commands that go on: what they print once they are up."""


def main(argv: list[str]) -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("suite", choices=("bookworm", "trixie"))
    parser.add_argument("--root", type=Path, help="where it is made; one that is there is used")
    parser.add_argument("--mirror", default="", help="of Debian; else debootstrap's own")
    parser.add_argument("commands", nargs="*", default=["demo", "demo", "serve", "test"])
    asked = parser.parse_args(argv)
    if os.geteuid() != 0 or not shutil.which("debootstrap"):
        print("ops.fresh: needs root and debootstrap", file=sys.stderr)
        return 2
    root = asked.root or Path("/var/tmp") / f"kentrobar-fresh-{asked.suite}"
    if not (root / "etc/debian_version").exists():
        make = ["debootstrap", "--variant=minbase", asked.suite, str(root)]
        subprocess.run([*make, *([asked.mirror] if asked.mirror else [])], check=True)
    _furnish(root)
    failed = 0
    try:
        for name in asked.commands:
            started = time.monotonic()
            is_well = _run(root, name)
            failed += not is_well
            word = "ok" if is_well else "FAILED"
            print(
                f"{asked.suite}: bin/{name} {word}, {time.monotonic() - started:.0f} s", flush=True
            )
    finally:
        for part in ("dev", "proc"):
            subprocess.run(["umount", "-l", str(root / part)], check=False)
    return 1 if failed else 0


def _furnish(root: Path) -> None:
    for part, kind in (("proc", "proc"), ("dev", "")):
        if not os.path.ismount(root / part):
            # Private: what is unmounted in there stays mounted out here.
            how = ["-t", kind, kind] if kind else ["--bind", "--make-private", f"/{part}"]
            subprocess.run(["mount", *how, str(root / part)], check=True)
    for name in SHARED:
        _copy(Path("/") / name, root / name)
    # Where pip is told of packages kept on this machine, they are there as well.
    for found in os.environ.get("PIP_FIND_LINKS", "").split():
        _copy(Path(found), root / found.lstrip("/"))
    shutil.rmtree(root / HERE, ignore_errors=True)
    (root / HERE).mkdir(parents=True)
    archive = subprocess.Popen(["git", "archive", "HEAD"], cwd=ROOT, stdout=subprocess.PIPE)
    subprocess.run(["tar", "x", "-C", str(root / HERE)], stdin=archive.stdout, check=True)


def _copy(what: Path, there: Path) -> None:
    if what.is_dir():
        shutil.copytree(what, there, dirs_exist_ok=True)
    elif what.exists():
        there.parent.mkdir(parents=True, exist_ok=True)
        shutil.copy(what, there)


def _run(root: Path, name: str) -> bool:
    """Whether a command ended well, or came up and ended when it was told to."""
    passed = {key: value for key, value in os.environ.items() if key.startswith("PIP_")}
    command = ["chroot", str(root), "/bin/sh", "-c", f"cd /{HERE} && exec bin/{name}"]
    plain = {"PATH": "/usr/sbin:/usr/bin:/sbin:/bin", "HOME": "/root", "LANG": "C.UTF-8"}
    running = subprocess.Popen(
        command, env=plain | passed, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
        start_new_session=True,
    )  # fmt: skip
    assert running.stdout
    up = STARTS.get(name)
    is_up = False
    deadline = time.monotonic() + ANSWERS_IN_S * (1 if up else 4)
    for line in running.stdout:
        print(f"  {line}", end="", flush=True)
        if up and up in line:
            is_up = True
            os.killpg(running.pid, signal.SIGTERM)
        if time.monotonic() > deadline:
            os.killpg(running.pid, signal.SIGKILL)
    running.wait()
    return is_up if up else running.returncode == 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
