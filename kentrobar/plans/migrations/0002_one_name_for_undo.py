from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("planning", "0001_initial")]

    operations = [
        migrations.RenameField("plan", "deleted_at", "removed_at"),
        migrations.AlterField("plan", "content", models.JSONField(help_text="the state of the bench, see state.py")),
    ]
