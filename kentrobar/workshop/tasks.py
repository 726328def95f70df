"""Brings the workshop's kinds of work to the workers' notice: each is written where its pages
are."""

from . import opendata, paper, restoring, rests  # noqa: F401
