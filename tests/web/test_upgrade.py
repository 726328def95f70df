"""A workshop of an earlier version opens in this one with nothing lost: its database, and its
export."""

import gzip
import json
import os
import subprocess
import sys
from pathlib import Path

import psycopg
import pytest
from django.conf import settings
from django.db import connection

from kentrobar.frames.models import Frame, Person, Reading
from kentrobar.shop.models import Settings
from kentrobar.ui.undo import removed_lately
from kentrobar.workshop import restoring, whole

from .conftest import as_file

DATA = Path(__file__).parents[1] / "data"
ROOT = Path(__file__).parents[2]
# Counted in the first version, table by table, before it was written out.
ROWS = {
    "frames_frame": 14,
    "frames_fittedpart": 11,
    "frames_reading": 54,
    "frames_historicalreading": 55,
    "measuring_instrument": 7,
    "measuring_check": 16,
    "measuring_use": 4,
    "stock_material": 13,
    "stock_weighing": 5,
    "stock_movement": 9,
    "planning_plan": 8,
    "planning_step": 24,
    "recipes_wish": 1,
    "recipes_match": 1,
    "recipes_match_frames": 5,
    "recipes_wear": 1,
    "shop_settings": 1,
    "workshop_sheet": 1,
    "workshop_job": 4,
    "workshop_takenin": 8,
    "workshop_jobstep": 32,
    "workshop_card": 1,
}
ROWS_0_2 = {
    "accounts_member": 1, "frames_fittedpart": 11, "frames_frame": 14,
    "frames_historicalreading": 54, "frames_person": 7, "frames_reading": 54, "measuring_check": 16,
    "measuring_instrument": 7, "measuring_use": 4, "planning_plan": 8, "planning_step": 24,
    "recipes_match": 1, "recipes_match_frames": 5, "recipes_wear": 1, "stock_material": 13,
    "stock_movement": 7, "stock_weighing": 5, "web_preferences": 1, "workshop_job": 4,
    "workshop_jobstep": 32, "workshop_takenin": 8,
}  # fmt: skip
"""Of 0.2, counted in what it wrote out."""
PLAYERS = {
    "Tern 98 · no. 07": "Ilva Sorrel",
    "Tern 98 · no. 11": "Ilva Sorrel",
    "Plover Tour · HP 2231": "Matis Ould",
}


@pytest.fixture
def old_database(request):
    """The database of an earlier version, 0.1 where none is named, beside the one of the tests."""
    version = getattr(request, "param", "0.1")
    known = connection.settings_dict
    at = f"postgresql://{known['USER']}:{known['PASSWORD']}@{known['HOST']}:{known['PORT']}"
    with psycopg.connect(f"{at}/postgres", autocommit=True) as server:
        server.execute("DROP DATABASE IF EXISTS kentrobar_first")
        server.execute("CREATE DATABASE kentrobar_first")
    try:
        with psycopg.connect(f"{at}/kentrobar_first", autocommit=True) as first:
            first.execute(
                gzip.decompress((DATA / f"database-{version}.sql.gz").read_bytes()).decode()
            )
        yield f"{at}/kentrobar_first"
    finally:
        with psycopg.connect(f"{at}/postgres", autocommit=True) as server:
            server.execute("DROP DATABASE kentrobar_first")


def migrated(address):
    """Brought to the present version, as the start command does."""
    migrate = [sys.executable, "manage.py", "migrate", "--verbosity", "0"]
    environment = os.environ | {
        "DATABASE_URL": address,
        "KENTROBAR_LOCAL": str(settings.LOCAL),
    }
    subprocess.run(migrate, cwd=ROOT, env=environment, check=True)


@pytest.mark.parametrize("old_database", ["0.2"], indirect=True)
def test_a_database_of_0_2_migrates_with_nothing_lost(old_database):
    migrated(old_database)
    with psycopg.connect(old_database) as now:
        for table, count in ROWS_0_2.items():
            assert now.execute(f"SELECT count(*) FROM {table}").fetchone() == (count,), table
        units = now.execute("SELECT mass, length FROM web_preferences").fetchone()
        assert units == ("oz", "in")
        kinds = now.execute("SELECT count(*) FROM workshop_jobstep WHERE kind = 'permanent'")
        assert kinds.fetchone() == (4,)


def test_a_database_of_the_first_version_migrates_with_nothing_lost(old_database):
    with psycopg.connect(old_database, autocommit=True) as first:
        first.execute(
            "INSERT INTO workshop_grommets (frame_id, arcs_mm)"
            " SELECT min(id), '[30, 10, 10]' FROM frames_frame"
        )
    migrated(old_database)
    with psycopg.connect(old_database) as first:
        for table, count in ROWS.items():
            assert first.execute(f"SELECT count(*) FROM {table}").fetchone() == (count,), table
        rate, step = first.execute("SELECT rate_hour, cut_step_mm FROM shop_settings").fetchone()
        assert (rate, step) == (52.0, 5.0)
        named = (
            "SELECT f.model || ' · ' || f.serial, p.name FROM frames_frame f "
            "JOIN frames_person p ON p.id = f.player_id"
        )
        assert dict(first.execute(named).fetchall()).items() >= PLAYERS.items()
        for table in (
            "planning_plan",
            "frames_reading",
            "stock_material",
            "measuring_instrument",
            "workshop_job",
        ):
            gone = first.execute(
                f"SELECT count(*) FROM {table} WHERE removed_at IS NOT NULL"
            ).fetchone()
            assert gone == (1,), table
        holes = "SELECT holes_mm::text FROM frames_frame ORDER BY id LIMIT 1"
        assert first.execute(holes).fetchone() == ("[10, 30]",)
        # What was typed without ± is as sure as its last digit, no longer exact.
        bare = "SELECT count(*) FROM frames_reading WHERE u IS NULL AND typed <> ''"
        assert first.execute(bare).fetchone() == (0,)


@pytest.mark.django_db(transaction=True)
def test_an_export_of_the_first_version_is_restored_with_nothing_lost():
    document = json.loads(gzip.decompress((DATA / "workshop-0.1.json.gz").read_bytes()))
    written = {(row["model"], row["pk"]) for row in document["rows"]}
    frame = next(row["pk"] for row in document["rows"] if row["model"] == "frames.frame")
    holes = {"model": "workshop.grommets", "pk": frame, "fields": {"arcs_mm": [30, 10, 10]}}
    restoring.restored(as_file(document | {"rows": [*document["rows"], holes]}))
    assert Frame.objects.get(pk=frame).holes_mm == [10, 30]
    again = json.loads("".join(whole.streamed()))["rows"]
    moved = {"recipes.workshop": "shop.settings", "workshop.person": "frames.person"}
    assert {(moved.get(model, model), pk) for model, pk in written} <= {
        (row["model"], row["pk"]) for row in again
    }
    assert Settings.load().rate_hour == 52
    assert not Reading.objects.filter(u=None).exclude(typed="").exists()
    players = {str(frame): str(frame.player) for frame in Frame.objects.exclude(player=None)}
    assert players.items() >= PLAYERS.items()
    assert Person.objects.filter(name="Ilva Sorrel").count() == 1
    kinds = {one._meta.label_lower for one in removed_lately()}
    assert kinds == {
        "planning.plan", "frames.reading", "stock.material", "measuring.instrument", "workshop.job",
    }  # fmt: skip
