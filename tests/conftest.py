"""For all tests: Hypothesis judges the product, not how fast the machine is today; and what was
made to run them, which stays, is not looked through for what could go."""

import gc
import os

import pytest
from hypothesis import settings

settings.register_profile("bench", deadline=None)
settings.load_profile("bench")


def pytest_collection_finish():
    gc.freeze()
    gc.set_threshold(20_000, 20, 50)


@pytest.fixture(scope="session", autouse=True)
def _without_what_bin_demo_makes():
    """Static files by their names, as the manifest of hashed ones is made by bin/demo; passwords
    that cost nothing. For all tests at once: a browser's last request may end in the next test."""
    if "DJANGO_SETTINGS_MODULE" not in os.environ:
        yield  # the core's tests alone
        return
    from django.conf import settings
    from django.test import override_settings

    plain = {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"}
    with override_settings(
        STORAGES=settings.STORAGES | {"staticfiles": plain},
        PASSWORD_HASHERS=["django.contrib.auth.hashers.MD5PasswordHasher"],
    ):
        yield


@pytest.fixture(scope="session")
def django_db_modify_db_settings(django_db_modify_db_settings_parallel_suffix):
    """A copy of the ground where bin/test made one. A live server's threads leave no connection
    behind, or the database could not go: they take one of a few that stay, as making one for each
    request takes longer than most of them."""
    from django.conf import settings

    database = settings.DATABASES["default"]
    database["CONN_MAX_AGE"] = 0
    database["OPTIONS"]["pool"] = {"min_size": 1, "max_size": 20}
    if ground := os.environ.get("KENTROBAR_GROUND"):
        database["TEST"]["TEMPLATE"] = ground


@pytest.fixture(scope="session")
def django_db_setup(django_db_setup):
    from .emptied import by_rows

    with by_rows():
        yield
