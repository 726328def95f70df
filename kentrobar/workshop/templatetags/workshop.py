"""Small helps of the workshop's templates."""

from django import forms, template

register = template.Library()


@register.filter
def split(text: str) -> list[str]:
    return text.split()


@register.filter
def get(form: forms.Form, name: str) -> forms.BoundField:
    """One box of a form by its name."""
    return form[name]
