"""Form fields that read what people write: `11.3 oz`, `12 7/8 in`, `6 pts HL`."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django import forms

from kentrobar.core.errors import Unreadable
from kentrobar.core.units import Typed


class QuantityField(forms.CharField):
    """A text box read by one of the core's readers. Its clean value is a ``Typed``, or None if
    empty."""

    def __init__(self, reader: Callable[[str], Any], **kwargs: Any) -> None:
        kwargs.setdefault("max_length", 60)
        super().__init__(**kwargs)
        self.reader = reader
        # All keys: a fraction, a sign and a unit are typed here too.
        keys = {"inputmode": "text", "autocomplete": "off", "spellcheck": "false"}
        self.widget.attrs |= keys

    def clean(self, value: str) -> Typed | None:
        text = super().clean(value)
        if not text:
            return None
        try:
            return self.reader(text)
        except Unreadable as error:
            raise forms.ValidationError(str(error)) from None
