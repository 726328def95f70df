"""Brings the kinds of work of measuring to the workers’ notice."""

from . import films  # noqa: F401
