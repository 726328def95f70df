from django.db import migrations


def to_frames(apps, schema_editor):
    """Whether a handle is filled with foam is the frame's own, not what is wished of its sites."""
    for row in apps.get_model("recipes", "Limits").objects.filter(content__has_key="is_foam"):
        frames = apps.get_model("frames", "Frame").objects.filter(pk=row.frame_id)
        frames.update(is_foam=bool(row.content.pop("is_foam")))
        row.save(update_fields=["content"])


class Migration(migrations.Migration):
    dependencies = [("recipes", "0002_settings_move_out"), ("frames", "0011_foam")]
    operations = [migrations.RunPython(to_frames, migrations.RunPython.noop)]
