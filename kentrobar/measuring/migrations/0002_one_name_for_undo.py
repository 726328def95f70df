from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("measuring", "0001_initial")]

    operations = [migrations.RenameField("instrument", "retired_at", "removed_at")]
