from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("stock", "0003_sheets")]

    operations = [migrations.RenameField("material", "retired_at", "removed_at")]
