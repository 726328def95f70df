"""Units no page is laid out for could be stored, and then broke every plan: they become the usual ones."""

from django.db import migrations, models


def usual_units(apps, schema_editor):
    Preferences = apps.get_model("web", "Preferences")
    Preferences.objects.exclude(length__in=("mm", "cm", "in")).update(length="mm")
    Preferences.objects.exclude(mass__in=("g", "oz")).update(mass="g")


class Migration(migrations.Migration):
    dependencies = [("web", "0001_initial")]

    operations = [
        migrations.RunPython(usual_units, migrations.RunPython.noop),
        migrations.AddConstraint(
            "preferences",
            models.CheckConstraint(
                condition=models.Q(("length__in", ("mm", "cm", "in")), ("mass__in", ("g", "oz"))),
                name="shown_units_pages_know",
            ),
        ),
    ]
