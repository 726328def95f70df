"""Grommet holes go to the frames they are of."""

from django.db import migrations


def to_frames(apps, schema_editor):
    Frame = apps.get_model("frames", "Frame")
    for row in apps.get_model("workshop", "Grommets").objects.all():
        Frame.objects.filter(pk=row.frame_id).update(holes_mm=sorted(set(row.arcs_mm)))


class Migration(migrations.Migration):

    dependencies = [("frames", "0006_grommet_holes"), ("workshop", "0005_rest_search")]

    operations = [
        migrations.RunPython(to_frames, migrations.RunPython.noop),
        migrations.RunSQL("SET CONSTRAINTS ALL IMMEDIATE; SET CONSTRAINTS ALL DEFERRED", migrations.RunSQL.noop),
        migrations.DeleteModel("Grommets"),
    ]
