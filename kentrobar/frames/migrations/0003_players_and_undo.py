"""People come down from ``workshop``, so that a frame's player is a person and not a name; one name for what undo
needs; what took a part's place, and what one measurement gave, said by keys and no longer by equal times."""

import django.db.models.deletion
from django.db import migrations, models


def link_players(apps, schema_editor):
    Frame, Person = apps.get_model("frames", "Frame"), apps.get_model("frames", "Person")
    for frame in Frame.objects.exclude(owner="").iterator():
        name = " ".join(frame.owner.split())[:60]
        if name:
            frame.player = Person.objects.get_or_create(name=name)[0]
            frame.save(update_fields=["player"])


def link_parts(apps, schema_editor):
    Part = apps.get_model("frames", "FittedPart")
    for part in Part.objects.exclude(taken_off_at=None).iterator():
        later = Part.objects.filter(frame_id=part.frame_id, put_on_at=part.taken_off_at).exclude(pk=part.pk)
        part.replaced_by = later.order_by("pk").first()
        if part.replaced_by_id:
            part.save(update_fields=["replaced_by"])


def link_readings(apps, schema_editor):
    Reading = apps.get_model("frames", "Reading")
    first = {}
    for reading in Reading.objects.filter(method="two-scales").order_by("pk").iterator():
        key = (reading.frame_id, reading.read_at)
        if key in first:
            reading.measured_with_id = first[key]
            reading.save(update_fields=["measured_with"])
        else:
            first[key] = reading.pk


class Migration(migrations.Migration):
    dependencies = [("frames", "0002_measuring"), ("workshop", "0002_tables_and_indexes")]

    operations = [
        migrations.SeparateDatabaseAndState(
            database_operations=[
                migrations.RunSQL(
                    "ALTER TABLE workshop_person RENAME TO frames_person",
                    "ALTER TABLE frames_person RENAME TO workshop_person",
                )
            ],
            state_operations=[
                migrations.CreateModel(
                    name="Person",
                    fields=[
                        (
                            "id",
                            models.BigAutoField(
                                auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                            ),
                        ),
                        ("name", models.CharField(max_length=60, unique=True)),
                        (
                            "hand",
                            models.CharField(
                                blank=True,
                                choices=[("right", "right-handed"), ("left", "left-handed")],
                                max_length=5,
                                verbose_name="plays",
                            ),
                        ),
                        (
                            "level",
                            models.CharField(
                                blank=True,
                                choices=[
                                    ("junior", "junior"),
                                    ("club", "club player"),
                                    ("strong", "strong club player"),
                                    ("competitor", "competitor"),
                                ],
                                max_length=10,
                            ),
                        ),
                        ("notes", models.TextField(blank=True, max_length=1000)),
                    ],
                    options={"ordering": ["name"], "verbose_name_plural": "people"},
                )
            ],
        ),
        migrations.RenameField("frame", "deleted_at", "removed_at"),
        migrations.RenameField("reading", "withdrawn_at", "removed_at"),
        migrations.RenameField("historicalreading", "withdrawn_at", "removed_at"),
        migrations.AddField(
            "frame",
            "player",
            models.ForeignKey(
                blank=True,
                null=True,
                on_delete=django.db.models.deletion.SET_NULL,
                related_name="frames",
                to="frames.person",
                verbose_name="who plays it",
            ),
        ),
        migrations.AddField(
            "fittedpart",
            "replaced_by",
            models.ForeignKey(
                blank=True,
                help_text="what was put on in its place",
                null=True,
                on_delete=django.db.models.deletion.SET_NULL,
                related_name="replaces",
                to="frames.fittedpart",
            ),
        ),
        migrations.AddField(
            "reading",
            "measured_with",
            models.ForeignKey(
                blank=True,
                help_text="the first figure that came out of the same measurement",
                null=True,
                on_delete=django.db.models.deletion.SET_NULL,
                related_name="siblings",
                to="frames.reading",
            ),
        ),
        migrations.AddField(
            "historicalreading",
            "measured_with",
            models.ForeignKey(
                blank=True,
                db_constraint=False,
                help_text="the first figure that came out of the same measurement",
                null=True,
                on_delete=django.db.models.deletion.DO_NOTHING,
                related_name="+",
                to="frames.reading",
            ),
        ),
        migrations.RunPython(link_players, migrations.RunPython.noop),
        migrations.RunPython(link_parts, migrations.RunPython.noop),
        migrations.RunPython(link_readings, migrations.RunPython.noop),
        # What was written is checked before the tables change again.
        migrations.RunSQL("SET CONSTRAINTS ALL IMMEDIATE; SET CONSTRAINTS ALL DEFERRED", migrations.RunSQL.noop),
        migrations.RemoveField("frame", "owner"),
    ]
