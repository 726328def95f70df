"""How a row is told from what it was before: by PostgreSQL's own marks of a row's version.

Whatever is made of rows alone can be remembered by their stamps, and is made again when one of them
was written, whoever wrote it.
"""

from __future__ import annotations

from typing import Any

from django.db.models import Func, TextField


class Stamp(Func):
    """The version of the row a field belongs to: the transaction that wrote it, and where it lies.

    A field of another row than the query's own must not be its key, which is asked for without the
    row itself.
    """

    output_field = TextField()

    def as_sql(self, compiler: Any, connection: Any, **more: Any) -> tuple[str, tuple[Any, ...]]:  # type: ignore[override]
        row = compiler.quote_name_unless_alias(self.get_source_expressions()[0].alias)
        return f"{row}.xmin || ' ' || {row}.ctid", ()
