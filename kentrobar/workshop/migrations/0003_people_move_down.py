"""People have gone to ``frames`` with their table; one name for what undo needs; a sheet that is counted with a later
one says so by its key and no longer by an equal time."""

import django.db.models.deletion
from django.db import migrations, models


def link_sheets(apps, schema_editor):
    Sheet = apps.get_model("workshop", "Sheet")
    for sheet in Sheet.objects.exclude(taken_off_at=None).select_related("plan"):
        later = Sheet.objects.filter(signed_off_at=sheet.taken_off_at, plan__frame_id=sheet.plan.frame_id)
        sheet.counted_with = later.exclude(pk=sheet.pk).first()
        if sheet.counted_with_id:
            sheet.save(update_fields=["counted_with"])


class Migration(migrations.Migration):
    dependencies = [("frames", "0003_players_and_undo"), ("workshop", "0002_tables_and_indexes")]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.AlterField(
                    "job",
                    "person",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.PROTECT, related_name="jobs", to="frames.person"
                    ),
                ),
                migrations.DeleteModel("Person"),
            ]
        ),
        migrations.RenameField("job", "deleted_at", "removed_at"),
        migrations.AddField(
            "sheet",
            "counted_with",
            models.ForeignKey(
                blank=True,
                help_text="the sheet made on top of this one, which its pieces are counted with",
                null=True,
                on_delete=django.db.models.deletion.SET_NULL,
                related_name="counts",
                to="workshop.sheet",
            ),
        ),
        migrations.RunPython(link_sheets, migrations.RunPython.noop),
        migrations.RunSQL("SET CONSTRAINTS ALL IMMEDIATE; SET CONSTRAINTS ALL DEFERRED", migrations.RunSQL.noop),
    ]
