"""Brings the workshop's kinds of work to the workers' notice: each is written where its pages
are. And what is done every night."""

from django.db import connection
from procrastinate.contrib.django import app

from kentrobar.ui.background import LONG

from . import opendata, own_figures, paper, restoring, rests  # noqa: F401


@app.periodic(cron="40 2 * * *")
@app.task(name="kentrobar.learn", queue=LONG, queueing_lock="learn")
def learn_at_night(timestamp: int) -> None:
    """What all fittings say, looked at anew."""
    try:
        own_figures.begin()
    finally:
        connection.close()
