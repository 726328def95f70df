"""Units for systemd: the shop's Kentrobar starts at boot, each part watched, logged and started
again by itself.

Run by root they belong to an account of their own, ``kentrobar``, that owns the shop's data and
nothing else; run by a person with sudo, to that person.
"""

from __future__ import annotations

import getpass
import os
import pwd
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Mapping
from pathlib import Path

from . import LOCAL, ROOT
from .postgres import StartError

HOME = Path("/etc/systemd/system")
ACCOUNT = "kentrobar"
ABOUT = {
    "database": "database",
    "web": "web server",
    "reader": "reader of instruments",
    "worker": "work beside the pages",
}
SETTINGS = Path("/etc/kentrobar.env")
UNIT = """\
[Unit]
Description=Kentrobar: {about}
{order}
[Service]
Type=simple
User={user}
WorkingDirectory={root}
Environment={environment}
EnvironmentFile=-{settings}
ExecStart=/usr/bin/env {python} -m ops.serve --part {part}
Restart=always
RestartSec=3
KillSignal=SIGTERM
TimeoutStopSec=40
UMask=0077
NoNewPrivileges=yes
CapabilityBoundingSet=
AmbientCapabilities=
ProtectSystem=strict
ProtectHome=read-only
ReadWritePaths={writes}
PrivateTmp=yes
{devices}
ProtectClock=yes
ProtectControlGroups=yes
ProtectHostname=yes
ProtectKernelLogs=yes
ProtectKernelModules=yes
ProtectKernelTunables=yes
ProtectProc=invisible
RestrictAddressFamilies=AF_UNIX AF_INET AF_INET6 AF_NETLINK
RestrictNamespaces=yes
RestrictRealtime=yes
RestrictSUIDSGID=yes
LockPersonality=yes
SystemCallArchitectures=native
SystemCallFilter=@system-service
SystemCallErrorNumber=EPERM

[Install]
WantedBy=multi-user.target
"""
NO_DEVICES = "DevicePolicy=closed"
"""Whose pages list serial ports sees them, and opens none."""
SERIAL_LINES = """DevicePolicy=closed
DeviceAllow=char-ttyUSB rw
DeviceAllow=char-ttyACM rw
DeviceAllow=char-ttyS rw
SupplementaryGroups=dialout"""
HEAD = """\
# Settings of this machine's Kentrobar, one NAME=value a line; they stand at the head of
# kentrobar/site/settings.py. After a change: systemctl restart 'kentrobar-*'
"""


def texts(parts: tuple[str, ...], user: str) -> dict[str, str]:
    """File name → content of every unit."""
    found = {}
    for part in parts:
        needs = "kentrobar-database.service"
        order = "After=network.target\n"
        if part != "database":
            order = f"Requires={needs}\nAfter={needs} network.target\n"
        facts = {
            "KENTROBAR_LOCAL": str(LOCAL), "XDG_STATE_HOME": str(LOCAL / "state"),
            "PYTHONUNBUFFERED": "1", "PYTHONDONTWRITEBYTECODE": "1",
        }  # fmt: skip
        places = {LOCAL, (LOCAL / "postgres").resolve(), Path(_backups()).absolute()}
        found[f"kentrobar-{part}.service"] = UNIT.format(
            about=ABOUT[part], order=order, user=user, root=_plain(str(ROOT)), part=part,
            environment=" ".join(_quoted(f"{name}={value}") for name, value in facts.items()),
            settings=SETTINGS, python=_quoted(sys.executable).replace("$", "$$"),
            writes=" ".join(_quoted(f"-{place}") for place in sorted(places)),
            devices=SERIAL_LINES if part == "reader" else NO_DEVICES,
        )  # fmt: skip
    return found


def _backups() -> str:
    return os.environ.get("KENTROBAR_BACKUPS") or str(LOCAL / "backups")


def _plain(text: str) -> str:
    """As systemd reads a value that is one path: only its own signs are escaped."""
    return text.replace("%", "%%")


def _quoted(text: str) -> str:
    """As systemd reads one of several words (systemd.syntax(7))."""
    plain = text.replace("\\", "\\\\").replace('"', '\\"')
    return f'"{_plain(plain)}"'


def settings_text(known: Mapping[str, str]) -> str:
    """The file of settings to begin with: what this shell has set for Kentrobar."""
    rows = [
        f'{name}="{value}"'
        for name, value in sorted(known.items())
        if (name.startswith("KENTROBAR_") and name != "KENTROBAR_LOCAL") or name == "DATABASE_URL"
    ]
    return HEAD + "".join(f"{row}\n" for row in rows)


def install(parts: tuple[str, ...]) -> None:
    """Write the units, start them now and at every boot. Raises StartError where that cannot be."""
    _needs_systemd()
    user = _account()
    written = texts(parts, user)
    with tempfile.TemporaryDirectory() as there:
        for name, text in written.items():
            (Path(there) / name).write_text(text)
            _as_root("install", "-m", "644", str(Path(there) / name), str(HOME / name))
        if not SETTINGS.exists():
            kept = Path(there) / "settings"
            kept.write_text(settings_text(os.environ))
            _as_root("install", "-m", "600", str(kept), str(SETTINGS))
    _as_root("systemctl", "daemon-reload")
    _as_root("systemctl", "enable", "--now", *written)
    print(
        f"Started, and at every boot, as {user}. Its words: journalctl -u 'kentrobar-*'; its"
        f" settings: {SETTINGS}"
    )


def remove() -> None:
    """Stop and take the units away; the shop's data stay where they are."""
    _needs_systemd()
    names = sorted(path.name for path in HOME.glob("kentrobar-*"))
    if not names:
        print("Nothing of Kentrobar is installed there.")
        return
    _as_root("systemctl", "disable", "--now", *names)
    _as_root("rm", "-f", *(str(HOME / name) for name in names))
    _as_root("systemctl", "daemon-reload")
    print(f"No longer started at boot. The shop's data stay in {LOCAL}")


def _needs_systemd() -> None:
    if not Path("/run/systemd/system").is_dir():
        raise StartError(
            "systemd does not run on this machine. Start bin/serve by whatever does, or see the"
            " container file and the gunicorn line in docs/running.md"
        )


def _account() -> str:
    """Whose the parts are: the person's who installs them; of root's, an account of their own."""
    if os.geteuid() != 0:
        return getpass.getuser()
    try:
        entry = pwd.getpwnam(ACCOUNT)
    except KeyError:
        command = ["useradd", "--system", "--home-dir", str(LOCAL), "--shell", "/usr/sbin/nologin"]
        subprocess.run([*command, ACCOUNT], check=True)
        entry = pwd.getpwnam(ACCOUNT)
    reached = ["runuser", "-u", ACCOUNT, "--", "test", "-r", str(ROOT / "manage.py")]
    if subprocess.run(reached, check=False).returncode:
        raise StartError(
            f"the account {ACCOUNT} cannot reach {ROOT}: move the clone to /opt, and install there"
        )
    LOCAL.mkdir(parents=True, exist_ok=True)
    for path in (LOCAL, *LOCAL.rglob("*"), *(LOCAL / "postgres").resolve().rglob("*")):
        if not path.is_symlink():
            shutil.chown(path, entry.pw_uid, entry.pw_gid)
    return ACCOUNT


def _as_root(*command: str) -> None:
    become = [] if os.geteuid() == 0 else ["sudo"]
    try:
        subprocess.run([*become, *command], check=True)
    except (OSError, subprocess.CalledProcessError) as error:
        raise StartError(f"{' '.join(command[:2])} failed: {error}") from None
