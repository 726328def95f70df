"""The workshop's settings have a room of their own, ``shop``: their table goes there with its row."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("recipes", "0001_initial")]

    operations = [
        migrations.SeparateDatabaseAndState(
            database_operations=[migrations.AlterModelTable("workshop", "shop_settings")],
            state_operations=[migrations.DeleteModel("Workshop")],
        ),
        migrations.RenameField("match", "deleted_at", "removed_at"),
    ]
