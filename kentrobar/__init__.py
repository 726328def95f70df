"""Kentrobar: where the grams go on a racket or paddle, and what they do."""

__version__ = "0.2.1"
