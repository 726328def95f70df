"""Backups: made at one moment, whole or refused, restored or nothing changed, rotated, due."""

import io
import json
import os
import tarfile
from datetime import UTC, datetime, timedelta

import psycopg
import pytest
from django.core.management import CommandError, call_command
from psycopg.conninfo import make_conninfo

from kentrobar import __version__
from kentrobar.backups import store, tasks
from kentrobar.backups.management.commands import prepare
from tests.pages import said


@pytest.fixture
def url(db):
    """A database of its own: a restore takes the place of the one there is."""
    base = os.environ["DATABASE_URL"]
    with psycopg.connect(make_conninfo(base, dbname="postgres"), autocommit=True) as link:
        link.execute("drop database if exists kept_one with (force)")
        link.execute("create database kept_one")
        found = make_conninfo(base, dbname="kept_one")
        ask(found, "create extension pg_trgm")
        ask(found, "create table photo (id serial primary key, jpeg bytea, at timestamptz)")
        ask(found, "create table django_session (session_key text)")
        ask(
            found,
            "insert into photo (jpeg, at) select decode(md5(i::text), 'hex'), now()"
            " from generate_series(1, 300) i",
        )
        yield found
        names = link.execute("select datname from pg_database where datname like 'kept_one%'")
        for (name,) in names.fetchall():
            link.execute(f'drop database "{name}" with (force)')


def ask(url, statement):
    with psycopg.connect(url, autocommit=True) as link:
        found = link.execute(statement)
        return found.fetchall() if found.description else None


def scratches(url):
    return ask(url, "select datname from pg_database where datname like 'kentrobar_scratch%'")


def test_backup_damage_restore(url, tmp_path):
    ask(url, "insert into django_session values ('somebody')")
    made = store.make(url, tmp_path / "backups")
    assert (made.rows, store.kept(tmp_path / "backups")) == (300, [made.path])
    assert (made.path.stat().st_mode & 0o777, scratches(url)) == (0o600, [])
    before = ask(url, "select md5(string_agg(t::text, '' order by id)) from photo t")
    ask(url, "update photo set jpeg = 'x' where id < 50; delete from photo where id > 290")
    # Whoever works in it is sent away for a moment, and comes back to what was.
    held = psycopg.connect(url)
    back, aside = store.restore(url, made.path)
    assert back.rows == 300
    assert ask(url, "select md5(string_agg(t::text, '' order by id)) from photo t") == before
    assert ask(url, "select count(*) from django_session") == [(0,)], "nobody stays signed in"
    ask(url, "insert into photo (jpeg) values ('new')")
    changed = make_conninfo(url, dbname=aside)
    assert ask(changed, "select count(*) from photo") == [(290,)], "what was is kept beside it"
    with pytest.raises(psycopg.OperationalError):
        held.execute("select 1")
    held.close()


def torn(data):
    return data[: len(data) // 2]


def turned(data):
    at = len(data) // 2
    return data[:at] + bytes(one ^ 1 for one in data[at : at + 20]) + data[at + 20 :]


def said_to_hold(**facts):
    """The same file, saying something else of itself."""

    def changed(data):
        out = io.BytesIO()
        source = io.BytesIO(data)
        with tarfile.open(fileobj=source) as old, tarfile.open(fileobj=out, mode="w") as new:
            for member in old.getmembers():
                held = old.extractfile(member).read()
                if member.name == "backup.json":
                    held = json.dumps(json.loads(held) | facts).encode()
                    member.size = len(held)
                new.addfile(member, io.BytesIO(held))
        return out.getvalue()

    return changed


def saying(text):
    """A file of the same kind that says this of itself."""

    def made(_):
        out = io.BytesIO()
        with tarfile.open(fileobj=out, mode="w") as new:
            about = tarfile.TarInfo("backup.json")
            about.size = len(text)
            new.addfile(about, io.BytesIO(text))
        return out.getvalue()

    return made


@pytest.mark.parametrize(
    ("damage", "words"),
    [
        (torn, "not whole|damaged|no backup"),
        (turned, "damaged"),
        (lambda data: b"", "no backup"),
        (lambda data: b'{"rows": []}', "no backup"),
        (said_to_hold(format="other/1"), "no kentrobar-backup"),
        (said_to_hold(version="99.0"), "newer"),
        (said_to_hold(tables={"photo": [301, "5"]}), "photo"),
        (said_to_hold(tables={"photo": 7}), "cannot be read"),
        (said_to_hold(tables=[1]), "cannot be read"),
        (said_to_hold(made="yesterday"), "cannot be read"),
        (said_to_hold(made=None), "cannot be read"),
        (said_to_hold(more=1), "more than is known here: more"),
        (saying(b"[" * 200_000), "no backup"),
    ],
)
def test_a_file_that_is_wrong_changes_nothing(url, tmp_path, damage, words):
    made = store.make(url, tmp_path)
    made.path.write_bytes(damage(made.path.read_bytes()))
    ask(url, "insert into photo (jpeg) values ('mine')")
    with pytest.raises(store.BackupError, match=words):
        store.restore(url, made.path)
    assert ask(url, "select count(*) from photo") == [(301,)]
    assert scratches(url) == []


def test_a_restore_that_breaks_off_between_two_names_leaves_the_first(url, tmp_path, monkeypatch):
    made = store.make(url, tmp_path)
    rename, asked = store._rename, []

    def breaks(link, old, new):
        asked.append(new)
        if len(asked) == 2:
            raise psycopg.errors.ObjectInUse("being accessed by other users")
        rename(link, old, new)

    monkeypatch.setattr(store, "_rename", breaks)
    with pytest.raises(store.BackupError, match="being accessed by other users"):
        store.restore(url, made.path)
    assert ask(url, "select count(*) from photo") == [(300,)]
    assert scratches(url) == []


def test_what_a_killed_backup_left_is_cleared_away_and_no_other_is_disturbed(url, tmp_path):
    left = "kentrobar_scratch_0badcafe"
    ask(make_conninfo(url, dbname="postgres"), f"create database {left}")
    (tmp_path / f"{store.ASIDE}torn").mkdir()
    (tmp_path / f".2026-11-26T031700{store.MAKING}").touch()
    with store._alone(url):
        assert store.clear_left(url, tmp_path) == 0, "another one is at work"
        with pytest.raises(store.BackupError, match="another backup"):
            store.make(url, tmp_path)
    assert store.clear_left(url, tmp_path) == 1
    assert (scratches(url), list(tmp_path.iterdir())) == ([], [])


def test_a_server_that_lets_us_make_no_database_is_told_in_a_line(url, tmp_path, monkeypatch):
    """A PostgreSQL of the owner's, whose role has no CREATEDB: no backup, and no traceback."""
    link = store._link

    def refuses(to, database):
        if database == "postgres":
            raise psycopg.errors.InsufficientPrivilege("permission denied to create database")
        return link(to, database)

    monkeypatch.setattr(store, "_link", refuses)
    with pytest.raises(store.BackupError, match="permission denied"):
        store.make(url, tmp_path)
    assert store.clear_left(url, tmp_path) == 0


def test_data_of_an_older_version_are_backed_up_before_they_move_on(db, settings, monkeypatch):
    """And nothing moves where they cannot be."""
    done, told = [], io.StringIO()
    made = store.Made(settings.BACKUPS / "one.kentrobar", datetime.now(UTC), 3)
    monkeypatch.setattr(store, "clear_left", lambda *_: 0)
    monkeypatch.setattr(store, "make", lambda *_: done.append("backup") or made)
    monkeypatch.setattr(prepare, "call_command", lambda name, **_: done.append(name))
    call_command("prepare", stdout=told)
    assert done == ["migrate", "collectstatic"], "nothing to move"
    monkeypatch.setattr(prepare.MigrationExecutor, "migration_plan", lambda *_: ["one"])
    done.clear()
    call_command("prepare", stdout=told)
    assert (done[0], "backed up first" in told.getvalue()) == ("backup", True)
    done.clear()

    def full(*_):
        raise OSError("No space left on device")

    monkeypatch.setattr(store, "make", full)
    with pytest.raises(CommandError, match="--without-backup"):
        call_command("prepare", stdout=told)
    assert done == []
    call_command("prepare", "--without-backup", stdout=told)
    assert done == ["migrate", "collectstatic"]


def test_another_key_than_before_is_said(db, settings, monkeypatch):
    monkeypatch.setattr(store, "clear_left", lambda *_: 0)
    monkeypatch.setattr(prepare, "call_command", lambda *_, **__: None)

    def said_with(key):
        settings.SECRET_KEY = key
        told = io.StringIO()
        call_command("prepare", stderr=told)
        return "another secret key" in told.getvalue()

    said_with("one")
    assert [said_with(key) for key in ("one", "two", "two")] == [False, True, False]


def test_a_backup_that_does_not_come_back_is_none(url, tmp_path, monkeypatch):
    sums = store._sums
    seen = []

    def other(link):
        seen.append(1)
        return sums(link) if len(seen) == 1 else {}

    monkeypatch.setattr(store, "_sums", other)
    with pytest.raises(store.BackupError, match="not all came back"):
        store.make(url, tmp_path)
    assert list(tmp_path.iterdir()) == []


def test_days_weeks_and_months_are_kept(tmp_path):
    first = datetime(2026, 11, 26, 3, 17, tzinfo=UTC)
    for day in range(500):
        for hours in (0, 9):
            at = first - timedelta(days=day, hours=-hours)
            (tmp_path / f"{at:%Y-%m-%dT%H%M%S}.kentrobar").touch()
    store.rotate(tmp_path)
    kept = [store.made_at(path) for path in store.kept(tmp_path)]
    days = [one.date() for one in kept]
    assert days[:7] == [(first - timedelta(days=i)).date() for i in range(7)]
    assert all(one.hour == 12 for one in kept), "of a day, the newest"
    assert len({f"{one:%G-%V}" for one in kept[:12]}) >= 5
    months = [10, 9, 8, 7, 6, 5, 4, 3, 2, 1, 12]
    assert [one.month for one in kept][-11:] == months, "and a year of months"
    assert store.rotate(tmp_path) == [], "what is kept stays"


@pytest.mark.parametrize(
    ("last", "now", "due"),
    [
        (None, "2026-11-26T10:00", True),
        ("2026-11-26T031700", "2026-11-26T10:00", False),
        ("2026-11-25T120000", "2026-11-26T02:59", False),
        ("2026-11-25T120000", "2026-11-26T03:01", True),
        ("2026-11-20T031700", "2026-11-26T02:00", True),
    ],
)
def test_a_night_without_a_backup_is_made_good(tmp_path, settings, last, now, due):
    settings.BACKUPS, settings.DEMO = tmp_path, False
    if last:
        (tmp_path / f"{last}.kentrobar").touch()
    assert tasks.is_due(datetime.fromisoformat(now).replace(tzinfo=UTC)) is due


def test_settings_say_how_old_the_newest_is(bench, settings, tmp_path):
    settings.BACKUPS = tmp_path
    assert "There is none yet" in said(bench.get("/settings/"))
    old = datetime.now(UTC) - timedelta(days=3)
    (tmp_path / f"{old:%Y-%m-%dT%H%M%S}.kentrobar").write_bytes(b"x" * 1_500_000)
    page = said(bench.get("/settings/"))
    assert ("1.5 MB" in page, "see why the last was not" in page) == (True, True)


def test_the_version_is_one_everywhere(bench):
    assert f"Kentrobar {__version__}" in said(bench.get("/"))
    document = json.loads(b"".join(bench.get("/data/workshop.json")))
    assert document["version"] == __version__
