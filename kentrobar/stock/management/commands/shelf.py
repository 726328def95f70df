"""``manage.py shelf``: what is on the shelf, as JSON; ``manage.py shelf FILE`` puts it on another
shop's, in the place of what that begins with."""

from pathlib import Path
from typing import Any

from django.core import serializers
from django.core.management.base import BaseCommand, CommandError
from django.db import transaction

from kentrobar.frames.models import Frame
from kentrobar.stock.models import Material, Movement, Weighing

MODELS = (Material, Weighing, Movement)
PEOPLE = ("moved_by", "weighed_by")
"""Whoever did it in the other shop is nobody here."""


class Command(BaseCommand):
    help = "Print the shelf as JSON, or take one over from a file."

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("file", nargs="?", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        if options["file"] is None:
            rows = [row for model in MODELS for row in model._default_manager.order_by("pk")]
            self.stdout.write(serializers.serialize("json", rows))
            return
        if Frame.objects.exists():
            raise CommandError("There are frames here: only a new shop takes a shelf over.")
        try:
            count = taken_over(options["file"].read_text())
        except (OSError, ValueError, serializers.base.DeserializationError) as error:
            raise CommandError(f"Nothing was changed: {error}") from None
        self.stdout.write(f"{count} materials are on the shelf.")


def taken_over(text: str) -> int:
    """Put these materials, with their weighings and what is left, in the place of all others; how
    many. Raises ValueError and DeserializationError, with nothing changed."""
    rows = list(serializers.deserialize("json", text))
    if not all(isinstance(row.object, MODELS) for row in rows):
        raise ValueError("there is more in this file than a shelf")
    with transaction.atomic():
        Material.objects.all().delete()
        for row in rows:
            for name in PEOPLE:
                if hasattr(row.object, f"{name}_id"):
                    setattr(row.object, f"{name}_id", None)
            row.save()
        _count_on()
    return sum(isinstance(row.object, Material) for row in rows)


def _count_on() -> None:
    """New rows get numbers after those that came."""
    from django.core.management.color import no_style
    from django.db import connection

    with connection.cursor() as cursor:
        for statement in connection.ops.sequence_reset_sql(no_style(), list(MODELS)):
            cursor.execute(statement)
