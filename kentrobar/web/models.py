"""What a person likes to read: units, and the swing axis shown for each kind of frame."""

from django.conf import settings
from django.db import models

from kentrobar.core.units import LENGTH, Shown


class Preferences(models.Model):
    user = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, primary_key=True)
    mass = models.CharField(max_length=2, default="g", choices=[("g", "g"), ("oz", "oz")])
    length = models.CharField(
        max_length=2, default="mm", choices=[(unit, unit) for unit in LENGTH if unit != "m"]
    )
    balance = models.CharField(
        max_length=6, default="length", choices=[("length", "length"), ("pt", "points"), ("%", "%")]
    )
    racket_axis_mm = models.FloatField(default=100.0)
    paddle_axis_mm = models.FloatField(default=50.0)

    class Meta:
        verbose_name_plural = "preferences"
        constraints = [
            models.CheckConstraint(
                condition=models.Q(racket_axis_mm__gte=0, racket_axis_mm__lte=300)
                & models.Q(paddle_axis_mm__gte=0, paddle_axis_mm__lte=300),
                name="shown_axis_at_the_hand",
            )
        ]

    def __str__(self) -> str:
        return f"{self.user}: {self.mass}, {self.length}"

    def shown(self) -> Shown:
        return Shown(self.mass, self.length, self.balance, self.racket_axis_mm, self.paddle_axis_mm)
