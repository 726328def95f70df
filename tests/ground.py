"""python -m tests.ground: models as they are checked and migrated, and an empty database as
migrations leave it, which every test process copies as its own: making one takes longer than most
files of tests."""

import os

import django
from django.conf import settings


def main():
    settings.DATABASES["default"]["TEST"] = {"NAME": os.environ["KENTROBAR_GROUND"]}
    django.setup()
    from django.core.management import call_command
    from django.db import connection

    call_command("check", fail_level="WARNING")
    call_command("makemigrations", check_changes=True, dry_run=True)
    connection.creation.create_test_db(verbosity=0, autoclobber=True, serialize=False)
    connection.close()


if __name__ == "__main__":
    main()
