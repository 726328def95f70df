from django.db import migrations, models


def gathered(apps, schema_editor):
    for one in apps.get_model("web", "Preferences").objects.all():
        one.axes_mm = {"racket": one.racket_axis_mm, "paddle": one.paddle_axis_mm}
        one.save(update_fields=["axes_mm"])


class Migration(migrations.Migration):
    dependencies = [("web", "0004_units_of_the_table")]

    operations = [
        migrations.AddField(
            "preferences",
            "axes_mm",
            models.JSONField(blank=True, default=dict, help_text="swing axis by kind of frame"),
        ),
        migrations.RunPython(gathered, migrations.RunPython.noop),
        migrations.RemoveConstraint("preferences", "shown_axis_at_the_hand"),
        migrations.RemoveField("preferences", "racket_axis_mm"),
        migrations.RemoveField("preferences", "paddle_axis_mm"),
    ]
