"""What a box says where its form says nothing better. Django's own words are a programmer's:
"Ensure this value is greater than or equal to -90.0"."""

from __future__ import annotations

from typing import Any

from django import forms
from django.core import validators

from kentrobar.core.reader import digits

NONE_OF_THESE = "“%(value)s” is none of these."
NO_ADDRESS = "Write the whole address, with https:// before it."
OF_FIELDS: dict[type[forms.Field], dict[str, str]] = {
    forms.Field: {"required": "Still to be written."},
    forms.FloatField: {"invalid": "Write a number."},
    forms.DecimalField: {"invalid": "Write a number."},
    forms.IntegerField: {"invalid": "Write a whole number."},
    forms.DateField: {"invalid": "Write a date: 2026-12-05."},
    forms.URLField: {"invalid": NO_ADDRESS},
    forms.FileField: {"required": "Choose a file first."},
    forms.ChoiceField: {"required": "Still to be chosen.", "invalid_choice": NONE_OF_THESE},
    forms.MultipleChoiceField: {"invalid_choice": NONE_OF_THESE},
    forms.ModelChoiceField: {"invalid_choice": "That is none of these any more: look again."},
}


class Limits(str):
    """Words whose figures stand as people write them: −90, not -90.0."""

    def __mod__(self, given: Any) -> str:
        numbers = {k: digits(v, 9) for k, v in given.items() if isinstance(v, int | float)}
        return str.__mod__(self, {**given, **numbers})


def speak_plainly() -> None:
    """For every form from now on; called when the application is set up."""
    for field, said in OF_FIELDS.items():
        field.default_error_messages = field.__dict__.get("default_error_messages", {}) | said
    at_most = Limits("%(show_value)s characters: %(limit_value)s fit here.")
    for validator, words in (
        (validators.MinValueValidator, Limits("At least %(limit_value)s.")),
        (validators.MaxValueValidator, Limits("At most %(limit_value)s.")),
        (validators.MaxLengthValidator, at_most),
        (validators.EmailValidator, "This is no e-mail address: name@place is one."),
        (validators.URLValidator, NO_ADDRESS),
    ):
        validator.message = words
    of_digits = dict.fromkeys(("max_digits", "max_whole_digits"), Limits("At most %(max)s digits."))
    validators.DecimalValidator.messages |= of_digits
