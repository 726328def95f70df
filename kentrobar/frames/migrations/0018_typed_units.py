"""A figure that was typed as a bare number says which unit it was read in."""

from django.db import migrations

from kentrobar.frames.typed import say_units


def forwards(apps, _editor):
    say_units(apps.get_model("frames", "Reading"))


class Migration(migrations.Migration):
    dependencies = [("frames", "0017_found_at_once")]
    operations = [migrations.RunPython(forwards, migrations.RunPython.noop)]
