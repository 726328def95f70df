"""What bridges tell: machines at another bench that read instruments there (``bridge.py``) and send
what they hear. They ask nothing of us but which instruments are theirs, and what to send them."""

from __future__ import annotations

import json
import math
from datetime import timedelta
from typing import Any

from django.contrib.auth.decorators import login_not_required
from django.db import connection, transaction
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.utils import timezone
from django.views.decorators.cache import never_cache
from django.views.decorators.csrf import csrf_exempt
from django.views.decorators.http import require_POST

from kentrobar.measuring.models import Instrument
from kentrobar.measuring.serial_ports import SERIAL
from kentrobar.shop.tokens import Token, asked_with

from .lines import MOST_PASSES
from .models import NEWS, Bridge, Line, StateOfLine
from .reader import wiring

MOST_PORTS, MOST_NEWS, MOST_ORDERS = 32, 200, 20
MOST_BYTES = 256 * 1024
OLDEST_S = 3600.0
ORDER_LASTS_MS = 60_000
"""Setting a scale to zero a minute later would zero what lies on it by then."""


# A program with a token comes without a session, so there is no form to be forged.
@csrf_exempt
@login_not_required
@never_cache
@require_POST
def bridge(request: HttpRequest) -> HttpResponse:
    """``{"ports": […], "news": […], "done": number}`` in; ``{"instruments": […], "orders":
    [[key, word, number], …]}`` out. An order is told until its number is said to be done."""
    token = asked_with(request, Token.May.BRIDGE)
    if token is None:
        return JsonResponse({"fault": "no token of a bridge"}, status=401)
    if int(request.headers.get("Content-Length") or 0) > MOST_BYTES:
        return JsonResponse({"fault": f"at most {MOST_BYTES} bytes"}, status=413)
    try:
        told = json.loads(request.body)
        ports = [_text(one, 110) for one in told["ports"]][:MOST_PORTS]
        news = [_read(one) for one in told["news"]][:MOST_NEWS]
        done = int(_finite(told.get("done", 0), 1e15))
    except (ValueError, KeyError, TypeError, OverflowError, RecursionError) as error:
        return JsonResponse({"fault": f"not understood: {str(error)[:100]}"}, status=400)
    with transaction.atomic():
        own, _ = Bridge.objects.select_for_update().get_or_create(token=token)
        own.orders = [one for one in _fresh(own.orders) if one[2] > done]
        own.ports = [port for port in ports if SERIAL.fullmatch(port) or "://" in port][:MOST_PORTS]
        own.heard_at = timezone.now()
        own.save()
        mine = {one.pk: one for one in Instrument.live.filter(port__startswith=own.mark)}
        _write_down(mine, news)
    wirings = [_wiring(one, own.mark) for one in mine.values()]
    return JsonResponse({"instruments": wirings, "orders": own.orders})


def _read(one: dict[str, Any]) -> dict[str, Any]:
    """A line's news as its row takes it. Raises ValueError, KeyError or TypeError."""
    if one["state"] not in StateOfLine.values:
        raise ValueError("state")
    value = None if one["value"] is None else _finite(one["value"], 1e9)
    passes = [_finite(t, 1e9) for t in one["passes"]][-MOST_PASSES:]
    heard = one["heard_s_ago"]
    # Older news than that, told when the server is back at last, are old all the same.
    ago = None if heard is None else timedelta(seconds=min(abs(_finite(heard, 1e9)), OLDEST_S))
    return {
        "key": int(one["key"]), "state": one["state"], "word": _text(one["word"], 200),
        "value": value, "is_stable": bool(one["is_stable"]), "passes": passes,
        "text": _text(one["text"], 80),
        "heard_at": None if ago is None else timezone.now() - ago,
    }  # fmt: skip


def _text(value: Any, most: int) -> str:
    return str(value).replace("\0", "")[:most]


def _finite(value: Any, most: float) -> float:
    number = float(value)
    if not math.isfinite(number) or abs(number) > most:
        raise ValueError(f"{number} is out of bounds")
    return number


def _write_down(mine: dict[int, Instrument], news: list[dict[str, Any]]) -> None:
    now = timezone.now()
    Line.objects.bulk_create(
        [Line(instrument=one, beat_at=now) for one in mine.values()], ignore_conflicts=True
    )
    Line.objects.filter(instrument_id__in=mine).update(beat_at=now)
    for one in news:
        key = one.pop("key")
        if key in mine:
            Line.objects.filter(instrument_id=key).update(**one)
            with connection.cursor() as cursor:
                cursor.execute("select pg_notify(%s, %s)", [NEWS, str(key)])


def _wiring(instrument: Instrument, mark: str) -> dict[str, Any]:
    known = wiring(instrument)
    return {
        "key": known.key, "name": known.name, "kind": known.kind, "baud": known.baud,
        "port": known.port.removeprefix(mark), "is_asked": known.is_asked, "ask": known.ask,
        "tare": known.tare,
    }  # fmt: skip


def _now_ms() -> int:
    return int(timezone.now().timestamp() * 1000)


def _fresh(orders: list[list[Any]]) -> list[list[Any]]:
    """Those a hand may still be waiting for; a number is the moment of its order, ms."""
    return [one for one in orders if len(one) == 3 and one[2] > _now_ms() - ORDER_LASTS_MS]


def order(instrument: Instrument, word: str) -> None:
    """Have a bridge send a word to one of its instruments, when it tells the next time; not later
    than a hand would still expect it."""
    with transaction.atomic():
        for one in Bridge.objects.select_for_update(of=("self",)).select_related("token"):
            if instrument.port.startswith(one.mark):
                waiting = _fresh(one.orders)
                number = max([_now_ms(), *(last + 1 for _, _, last in waiting)])
                one.orders = [*waiting, [instrument.pk, word, number]][-MOST_ORDERS:]
                one.save(update_fields=["orders"])
