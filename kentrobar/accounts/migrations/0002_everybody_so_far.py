"""Whoever had an account before there were roles could do everything: they stay owners."""

from django.db import migrations


def all_owners(apps, _):
    user, member = apps.get_model("auth", "User"), apps.get_model("accounts", "Member")
    for one in user.objects.filter(member=None):
        # A name that came with somebody's export never had a password.
        known = one.password and not one.password.startswith("!")
        member.objects.create(user=one, role="owner" if known else "bench")


class Migration(migrations.Migration):
    dependencies = [
        ("accounts", "0001_initial"),
        ("auth", "0012_alter_user_first_name_max_length"),
    ]
    operations = [migrations.RunPython(all_owners, migrations.RunPython.noop)]
