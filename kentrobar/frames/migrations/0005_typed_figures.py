"""Figures that were typed without ± are no longer exact: their last digit says how well they are
known."""

from django.db import migrations

from kentrobar.frames.typed import settle_typed


def forwards(apps, _editor):
    settle_typed(apps.get_model("frames", "Reading"))


class Migration(migrations.Migration):
    dependencies = [("frames", "0004_plainer_words")]
    operations = [migrations.RunPython(forwards, migrations.RunPython.noop)]
