"""The shop's network: whether phones are let in, at which address, over HTTPS of its own."""

from __future__ import annotations

import fcntl
import socket
import struct
import time

import segno

from kentrobar.accounts import doors

from . import LOCAL
from .certificates import Certificates
from .ports import port_of, remembered
from .services import Service, Watch, gunicorn, python

SIOCGIFADDR = 0x8915
LOOK_AGAIN_SECONDS = 30
TLS = LOCAL / "tls"


def names() -> list[str]:
    """What phones may call this machine: its IPv4 addresses, the one to the outside first, and its
    host name."""
    host = socket.gethostname().split(".")[0].lower()
    addresses = [one for one in dict.fromkeys([*_outward(), *_addresses()]) if one]
    return [*addresses, *([f"{host}.local", host] if host.isascii() and host else [])]


def told(address: str) -> str:
    """The address for phones, with its code to be read by a camera off a terminal."""
    code = segno.make(address, error="m")
    rows = [list(row) for row in code.matrix_iter(border=2)]
    rows += [[0] * len(rows[0])] * (len(rows) % 2)
    lines = (
        "".join(" ▄▀█"[2 * (not up) + (not down)] for up, down in zip(above, below, strict=True))
        for above, below in zip(rows[::2], rows[1::2], strict=True)
    )
    return f"For phones in this network: {address}\n" + "\n".join(lines)


class Network:
    """The door for phones: opened and closed as the owner chose, its certificate kept true to this
    machine's addresses."""

    def __init__(self, watch: Watch, first_port: int, wanted: int | None = None) -> None:
        self.watch, self.first_port, self.wanted = watch, first_port, wanted
        self.service: Service | None = None
        self.names: list[str] = []
        self._looked_at = 0.0
        doors.tell("", LOCAL)  # what an earlier run said no longer holds

    @property
    def address(self) -> str:
        return f"https://{self.names[0]}:{remembered('secure')}/" if self.names else ""

    def open(self) -> None:
        """Let phones in from now on. Raises Trouble where no port is free."""
        self.names = names()
        files = Certificates(TLS)
        files.ready_for([*self.names, "127.0.0.1", "localhost"])
        port = port_of("secure", self.first_port, wanted=self.wanted)
        options = ("--certfile", str(files.certificate), "--keyfile", str(files.key))
        self.service = python(
            "the server for phones", *gunicorn(f"0.0.0.0:{port}", *options),
            KENTROBAR_HTTPS="1", KENTROBAR_HOSTS=",".join([*self.names, "127.0.0.1", "localhost"]),
            KENTROBAR_OWN_TLS="1",
        )  # fmt: skip
        self.watch.add(self.service)
        doors.tell(self.address, LOCAL)
        self._looked_at = time.monotonic()

    def close(self) -> None:
        if self.service is not None:
            self.watch.drop(self.service)
            self.service = None
            doors.tell("", LOCAL)

    def follow(self) -> None:
        """Do as the owner chose, and say what came of it."""
        is_open = doors.is_open(LOCAL)
        if is_open and self.service is None:
            self.open()
            self.watch.say(told(self.address))
        elif not is_open and self.service is not None:
            self.close()
            self.watch.say("Phones are no longer let in.")
        self.tend()

    def tend(self) -> None:
        """Follow this machine to another address."""
        if self.service is None or time.monotonic() - self._looked_at < LOOK_AGAIN_SECONDS:
            return
        self._looked_at = time.monotonic()
        if names() != self.names:
            self.close()
            self.open()
            self.watch.say(f"This machine's address changed.\n{told(self.address)}")


def _outward() -> list[str]:
    """The address others in the network see; nothing is sent to find it."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        try:
            probe.connect(("192.0.2.1", 9))  # an address for examples only
        except OSError:
            return []
        return [probe.getsockname()[0]]


def _addresses() -> list[str]:
    """IPv4 addresses of every interface but the loopback."""
    found = []
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        for _, name in socket.if_nameindex():
            try:
                answer = fcntl.ioctl(probe, SIOCGIFADDR, struct.pack("256s", name.encode()[:15]))
            except OSError:  # one without an address
                continue
            found.append(socket.inet_ntoa(answer[20:24]))
    return [one for one in found if not one.startswith("127.")]
