"""What is chosen of: conditions, figures and ways to read them, as the database keeps them."""

from __future__ import annotations

from django.db import models


class Condition(models.TextChoices):
    """What was on the frame when it was read."""

    NO_GRIP = "no-grip", "bare, grip off"
    BARE = "bare", "bare"
    STRUNG = "strung", "strung"
    AS_PLAYED = "as-played", "as played"


class Quantity(models.TextChoices):
    MASS = "mass_g", "mass"
    BALANCE = "balance_mm", "balance"
    SWING = "swing_kgcm2", "swing weight"
    TWIST = "twist_kgcm2", "twist weight"


class MethodName(models.TextChoices):
    SCALE = "scale", "scale"
    BOARD = "balance-board", "balance board"
    TWO_SCALES = "two-scales", "two supports"
    EDGE = "knife-edge", "knife edge"
    MACHINE = "machine", "swing-weight machine"
    PENDULUM = "pendulum", "pendulum"
    BIFILAR = "bifilar", "two-thread (bifilar)"
    HUNG = "hung-flat", "swung flat"
    REPORTED = "told", "reported"
