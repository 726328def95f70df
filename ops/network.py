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
from .front import Front
from .ports import port_of, remembered
from .services import Watch

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

    def __init__(self, watch: Watch, front: Front, first_port: int) -> None:
        self.watch, self.front, self.first_port = watch, front, first_port
        self.names: list[str] = []
        self._looked_at = 0.0
        doors.tell("", LOCAL)  # what an earlier run said no longer holds

    @property
    def address(self) -> str:
        return f"https://{self.names[0]}:{remembered('secure')}/" if self.names else ""

    def open(self) -> None:
        """Let phones in from now on. Raises StartError where no port is free."""
        self.names = names()
        files = Certificates(TLS)
        files.ready_for([*self.names, "127.0.0.1", "localhost"])
        # Its own port is taken while it is open, by ourselves.
        port = self.front.secure_port or port_of("secure", self.first_port)
        self.front.let_phones_in(port, self.names, files)
        doors.tell(self.address, LOCAL)
        self._looked_at = time.monotonic()

    def close(self) -> None:
        self.front.shut_phones_out()
        doors.tell("", LOCAL)

    @property
    def is_open(self) -> bool:
        return self.front.secure_port is not None

    def follow(self) -> None:
        """Do as the owner chose, and say what came of it."""
        is_wanted = doors.is_open(LOCAL)
        if is_wanted and not self.is_open:
            self.open()
            self.watch.say(told(self.address))
        elif not is_wanted and self.is_open:
            self.close()
            self.watch.say("Phones are no longer let in.")
        self.tend()

    def tend(self) -> None:
        """Follow this machine to another address."""
        if not self.is_open or time.monotonic() - self._looked_at < LOOK_AGAIN_SECONDS:
            return
        self._looked_at = time.monotonic()
        if names() != self.names:
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
