"""The web server before the application: nginx, which takes slow and large requests, TLS and static
files off the application's threads (docs/decisions/18-nginx-in-front.md)."""

from __future__ import annotations

import os
import signal
from dataclasses import dataclass, field

from . import LOCAL, ROOT, services
from .certificates import Certificates
from .postgres import StartError
from .services import Service

NGINX = "/usr/sbin/nginx"
LONGEST_SOCKET = 100
"""Bytes the path of a Unix socket may have (108 by sockaddr_un), with some to spare."""
HERE = ("127.0.0.1", "localhost", "[::1]")


@dataclass
class Front:
    """nginx and the application behind it, by a socket only they reach."""

    listen: str
    """Where plain HTTP is answered: `127.0.0.1:8831`."""
    name: str = "front"
    secure_port: int | None = None
    secure_names: list[str] = field(default_factory=list)
    files: Certificates | None = None

    def __post_init__(self) -> None:
        self.home = LOCAL / self.name
        self.server = Service("nginx", [NGINX, "-p", f"{self.home}/", "-e", "stderr",
                                        "-c", str(self.home / "nginx.conf")])  # fmt: skip
        self.application = services.web(
            f"unix:{self.socket}", KENTROBAR_PROXY="1", KENTROBAR_HOSTS="*",
            KENTROBAR_BODIES=str(self.home / "body"),
        )  # fmt: skip

    @property
    def socket(self) -> str:
        """Its path, as both programs reach it from ROOT. Raises StartError where it is too long."""
        paths = (str(self.home / "socket"), os.path.relpath(self.home / "socket", ROOT))
        shortest = min(paths, key=len)
        if len(shortest.encode()) > LONGEST_SOCKET:
            raise StartError(
                f"{self.home} is too deep for a socket: set KENTROBAR_LOCAL nearer to /"
            )
        return shortest

    def services(self) -> list[Service]:
        """The application first: nginx says that it starts until it answers."""
        for left in (self.home / "body").glob("*"):
            left.unlink()  # of a run that was killed
        self.write()
        return [self.application, self.server]

    @property
    def address(self) -> str:
        """Where this machine's browser finds it."""
        host, _, port = self.listen.rpartition(":")
        return f"http://{'127.0.0.1' if host == '0.0.0.0' else host}:{port}/"

    def let_phones_in(self, port: int, names: list[str], files: Certificates) -> None:
        """Answer HTTPS at every address of this machine, too."""
        self.secure_port, self.secure_names, self.files = port, names, files
        self._reload()

    def shut_phones_out(self) -> None:
        self.secure_port = self.files = None
        self._reload()

    def write(self) -> None:
        self.home.mkdir(mode=0o700, parents=True, exist_ok=True)
        given = [one.strip() for one in os.environ.get("KENTROBAR_HOSTS", "").split(",")]
        is_behind = os.environ.get("KENTROBAR_PROXY", "").lower() in ("1", "true", "yes", "on")
        filled = {
            "home": str(self.home), "socket": self.socket, "static": str(LOCAL / "static"),
            "user": "user root;" if os.geteuid() == 0 else "", "plain": self.listen,
            "plain_names": _names([*HERE, self.listen.rpartition(":")[0], *given]),
            "secure": self._secure(),
            "is_behind_proxy": "1" if is_behind else "",
            "behind_proxy": "set_real_ip_from 0.0.0.0/0; set_real_ip_from ::/0;"
            " real_ip_header X-Forwarded-For;" if is_behind else "",
        }  # fmt: skip
        for name in ("unknown.conf", "pages.conf", "nginx.conf"):
            text = (ROOT / "ops" / "nginx" / name).read_text()
            for word, value in filled.items():
                text = text.replace(f"@{word}@", value)
            (self.home / name).write_text(text)

    def _secure(self) -> str:
        if self.secure_port is None or self.files is None:
            return ""
        return f"""
    ssl_certificate "{self.files.certificate}";
    ssl_certificate_key "{self.files.key}";
    ssl_protocols TLSv1.2 TLSv1.3;
    ssl_session_cache shared:tls:1m;
    server {{
        listen 0.0.0.0:{self.secure_port} ssl default_server;
        include "{self.home}/unknown.conf";
    }}
    server {{
        listen 0.0.0.0:{self.secure_port} ssl;
        server_name {_names([*self.secure_names, *HERE])};
        error_page 497 =301 https://$http_host$request_uri;
        proxy_cookie_flags ~ secure;
        include "{self.home}/pages.conf";
    }}"""

    def _reload(self) -> None:
        """nginx reads its configuration anew; who is connected stays so."""
        self.write()
        if self.server.process is not None:
            self.server.process.send_signal(signal.SIGHUP)


def _names(names: list[str]) -> str:
    return " ".join(f'"{one}"' for one in dict.fromkeys(names) if one and one != "*")
