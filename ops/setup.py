"""Install what is missing on a Debian machine. Standard library only: it runs before anything else.

Three grounds: ``demo`` (server and PostgreSQL), ``test`` and ``shots`` (those and a browser).
"""

from __future__ import annotations

import fcntl
import hashlib
import os
import shutil
import subprocess
import sys
from pathlib import Path

from . import ROOT

VENV = ROOT / ".venv"
SERVER = {
    "nginx": "/usr/sbin/nginx",
    "postgresql": "/usr/lib/postgresql/*/bin/initdb",
    # WeasyPrint draws paper with these.
    "libpango-1.0-0": "/usr/lib/*/libpango-1.0.so.0",
    "libpangoft2-1.0-0": "/usr/lib/*/libpangoft2-1.0.so.0",
    "libharfbuzz-subset0": "/usr/lib/*/libharfbuzz-subset.so.0",
}
BROWSER = {
    "chromium-headless-shell": "/usr/lib/chromium/chromium-headless-shell",
    "chromium-driver": "/usr/bin/chromedriver",
}
"""A page costs the headless shell half of what it costs a browser with windows."""
APT = """
export DEBIAN_FRONTEND=noninteractive
apt() {{ apt-get -q -o DPkg::Lock::Timeout=300 "$@"; }}
quiet=/usr/sbin/policy-rc.d ours=/etc/postgresql-common/createcluster.d/kentrobar.conf
clear() {{ if [ -n "$made" ]; then rm -f "$quiet"; fi; rm -f "$ours"; }}
made= had_nginx=$(command -v nginx || true)
trap clear EXIT
if [ ! -e "$quiet" ]; then
    made=yes
    printf '#!/bin/sh\\nexit 101\\n' > "$quiet"
    chmod 755 "$quiet"
fi
apt update
mkdir -p "$(dirname "$ours")"
echo 'create_main_cluster = false' > "$ours"
apt install -y --no-install-recommends {packages}
if [ -z "$had_nginx" ] && command -v nginx > /dev/null; then
    update-rc.d nginx disable || true
fi
"""
"""Kentrobar starts its own nginx and PostgreSQL: Debian's packages start theirs at once, and
at every boot, and make a cluster beside ours. Neither is wanted on a machine that had none."""
GROUNDS = {
    "demo": (SERVER, ["requirements.txt"]),
    "serve": (SERVER, ["requirements.txt"]),
    "test": (SERVER | BROWSER, ["requirements.txt", "requirements-dev.txt"]),
    "shots": (SERVER | BROWSER, ["requirements.txt", "requirements-dev.txt"]),
    "all": (SERVER | BROWSER, ["requirements.txt", "requirements-dev.txt"]),
}


def main(ground: str) -> int:
    if ground not in GROUNDS:
        print(f"bin/setup: {ground} is not one of {', '.join(GROUNDS)}", file=sys.stderr)
        return 2
    packages, requirements = GROUNDS[ground]
    try:
        # One lock for demo and shop: they share .venv.
        (ROOT / ".local").mkdir(exist_ok=True)
        with (ROOT / ".local" / "setup.lock").open("w") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)  # two runs at once take turns
            install_debian(packages)
            install_python(requirements, ahead=ground != "test")
    except PermissionError as error:
        print(
            f"bin/setup: {error.filename} belongs to another account: this clone was set up by "
            "somebody else. Use your own clone, or give this one to yourself with chown.",
            file=sys.stderr,
        )
        return 1
    except subprocess.CalledProcessError as error:
        print(
            f"bin/setup: {' '.join(map(str, error.cmd))} failed ({error.returncode})",
            file=sys.stderr,
        )
        return 1
    return 0


def install_debian(packages: dict[str, str]) -> None:
    """apt-get what is missing; a package counts as there when the file it is wanted for is."""
    missing = [name for name, proof in packages.items() if not list(Path("/").glob(proof[1:]))]
    if not missing:
        return
    if missing[-1] in BROWSER:
        # Those there may be older, and a driver only drives a browser of its own version.
        missing = list(packages)
    print(f"Installing {', '.join(missing)} from Debian …", flush=True)
    become = [] if os.geteuid() == 0 else ["sudo"]
    if become and not shutil.which("sudo"):
        sys.exit(f"bin/setup: run as root: apt-get install {' '.join(missing)}")
    script = APT.format(packages=" ".join(missing))
    subprocess.run([*become, "sh", "-ec", script], check=True, stdout=subprocess.DEVNULL)


def install_python(requirements: list[str], ahead: bool = True) -> None:
    """.venv with the pinned packages; a half-made one, or one of another Python, is made anew.
    Their modules are compiled ``ahead``, or each where it is first imported: tests import half
    of them."""
    python = VENV / "bin" / "python"
    stamp = VENV / "kentrobar-stamp"
    version = sys.version.split()[0]
    installed = stamp.read_text().splitlines() if stamp.exists() else []
    if version not in installed or subprocess.run([python, "-c", ""], check=False).returncode:
        print("Making .venv …", flush=True)
        subprocess.run([sys.executable, "-m", "venv", "--clear", VENV], check=True)
        installed = [version]
        stamp.write_text(version + "\n")
    wanted = [
        f"{name} {hashlib.sha256((ROOT / name).read_bytes()).hexdigest()}" for name in requirements
    ]
    if all(line in installed for line in wanted):
        return
    print("Installing the pinned Python packages …", flush=True)
    files = [part for name in requirements for part in ("-r", str(ROOT / name))]
    late = [] if ahead else ["--no-compile"]
    pip = [str(python), "-m", "pip", "install", "-q", "--disable-pip-version-check"]
    subprocess.run([*pip, *late, *files], check=True)
    names = {line.split()[0] for line in wanted}
    kept = [line for line in installed if line.split()[0] not in names]
    stamp.write_text("\n".join([*kept, *wanted]) + "\n")


if __name__ == "__main__":
    sys.exit(main(sys.argv[1]))
