"""python -m tests.ground: an empty database as migrations leave it, which every test process copies
as its own: making one takes longer than most files of tests."""

import os

import django
from django.conf import settings


def main():
    settings.DATABASES["default"]["TEST"] = {"NAME": os.environ["KENTROBAR_GROUND"]}
    django.setup()
    from django.db import connection

    connection.creation.create_test_db(verbosity=0, autoclobber=True, serialize=False)
    connection.close()


if __name__ == "__main__":
    main()
