from django.db import migrations

from kentrobar.stock.seed import seed


def put_on_the_shelf(apps, editor):
    seed(apps.get_model("stock", "Material"))


class Migration(migrations.Migration):
    dependencies = [("stock", "0001_initial")]
    operations = [migrations.RunPython(put_on_the_shelf, migrations.RunPython.noop)]
