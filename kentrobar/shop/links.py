"""Addresses that leave the shop: on cards, in codes, in mails."""

from __future__ import annotations

from ipaddress import ip_address
from urllib.parse import urljoin, urlsplit

from django.http import HttpRequest

from .models import remembered


def for_players(request: HttpRequest, path: str) -> str:
    """A page of ours as somebody outside reaches it: under the shop's public address, where there
    is one."""
    public = remembered().public_address
    return urljoin(public, path) if public else request.build_absolute_uri(path)


def stays_here(link: str) -> bool:
    """Whether a link opens on this machine only."""
    host = urlsplit(link).hostname or ""
    try:
        return ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"
