"""How a phone of the shop's network comes in: its address, and the shop's own authority to be
trusted once."""

from __future__ import annotations

import hashlib
import socket
import ssl
from pathlib import Path

import segno
from django.conf import settings
from django.contrib.auth.decorators import login_not_required
from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.utils.safestring import mark_safe
from django.views.decorators.http import require_safe

from kentrobar.shop.links import stays_here
from kentrobar.ui.request import Request

from . import doors


def _authority() -> Path:
    return Path(settings.LOCAL) / "tls" / "authority.crt"


@login_not_required
@require_safe
def trust(request: Request) -> HttpResponse:
    """What to do on a phone, once; it shows nothing of the shop."""
    file = _authority()
    if not file.is_file():
        raise Http404("no authority was made here")
    der = ssl.PEM_cert_to_DER_cert(file.read_text())
    mark = hashlib.sha256(der).hexdigest().upper()
    pairs = [mark[i : i + 4] for i in range(0, len(mark), 4)]
    return render(request, "accounts/trust.html", {"mark": pairs})


@login_not_required
@require_safe
def authority(request: Request) -> HttpResponse:
    """The authority's certificate, as phones take it. Its key stays on this machine."""
    file = _authority()
    if not file.is_file():
        raise Http404("no authority was made here")
    answer = HttpResponse(
        ssl.PEM_cert_to_DER_cert(file.read_text()), content_type="application/x-x509-ca-cert"
    )
    answer["Content-Disposition"] = 'attachment; filename="kentrobar-authority.crt"'
    return answer


def code_of(request: Request, path: str) -> dict[str, object]:
    """What opens a page of ours on a phone: its address, and that drawn for its camera."""
    door = doors.address(Path(settings.LOCAL)) or (
        "" if stays_here(request.build_absolute_uri("/")) else request.build_absolute_uri("/")
    )
    address = f"{door.rstrip('/')}{path}" if door else ""
    drawn = segno.make(address, error="m").svg_inline(scale=4, border=2) if address else ""
    return {"address": address, "picture": mark_safe(drawn)}


@require_safe
def phones(request: Request) -> HttpResponse:
    """The address for phones, and its code for their cameras."""
    address = doors.address(Path(settings.LOCAL))
    code = segno.make(address, error="m") if address else None
    # Drawn by the library, of our own address: no markup of anybody's.
    picture = mark_safe(code.svg_inline(scale=5, border=2)) if code else ""
    context = {
        "address": address, "picture": picture, "is_open": doors.is_open(Path(settings.LOCAL)),
        "host": socket.gethostname(),
    }  # fmt: skip
    return render(request, "accounts/phones.html", context)
