"""Where a frame's grommet holes are is a fact of the frame; it lay above the plans, in ``workshop``,
which brings what was written there (``workshop/0006``)."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [("frames", "0005_typed_figures")]

    operations = [
        migrations.AddField(
            model_name="frame",
            name="holes_mm",
            field=models.JSONField(
                blank=True,
                default=list,
                help_text="arcs of one side along the edge from the tip’s centre, growing",
                verbose_name="grommet holes",
            ),
        ),
    ]
