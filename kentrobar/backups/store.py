"""A backup: one file with a dump of the database as at one moment (photos are in it), and what
must come back out of it, table by table.

A backup counts only once it was restored into a scratch database and every table came back with as
many rows and the same checksum. The same is done before one is restored in earnest, so that a file
that is damaged, or none of ours, changes nothing.
"""

from __future__ import annotations

import hashlib
import io
import json
import os
import secrets
import shutil
import subprocess
import tarfile
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, BinaryIO

import psycopg
from psycopg.conninfo import conninfo_to_dict, make_conninfo
from psycopg.sql import SQL, Identifier

from kentrobar import __version__

FORMAT = "kentrobar-backup/1"
KEYS = {"format", "version", "made", "tables", "sha256"}
SUFFIX, MAKING, ASIDE = ".kentrobar", ".making", ".backup-"
SCRATCH = "kentrobar_scratch_"
LOCK = 7_206_933
RENAMES = 50
BINARIES = Path("/usr/lib/postgresql")
PLAIN = "-c timezone=UTC -c datestyle=ISO -c statement_timeout=0"
"""Session settings: rows read the same on every machine, and a large table may take its time."""
TABLES = """
select c.relname from pg_class c join pg_namespace n on n.oid = c.relnamespace
where n.nspname = 'public' and c.relkind = 'r' order by 1
"""
SUMS = SQL(
    "select count(*), coalesce(sum(('x' || substr(md5(t::text), 1, 15))::bit(60)::bigint), 0)::text"
    " from public.{} t"
)
SESSIONS = "django_session"
"""Who is signed in just now is not worth keeping, and changes under one's hands."""


class BackupError(ValueError):
    """A file that is no backup of ours, or not whole; nothing was changed."""


@dataclass(frozen=True)
class Made:
    """One backup: its file, when it was made, and how many rows are in it."""

    path: Path
    made: datetime
    rows: int


def make(url: str, directory: Path) -> Made:
    """Write a backup, restore it into a scratch database, compare, and only then give it its name.
    Raises BackupError where it does not come back as it went in, and what the programs raise."""
    directory.mkdir(mode=0o700, parents=True, exist_ok=True)
    now = datetime.now(UTC)
    fresh = directory / f".{now:%Y-%m-%dT%H%M%S}{MAKING}"
    with _alone(url) as link, tempfile.TemporaryDirectory(prefix=ASIDE, dir=directory) as there:
        dump = Path(there) / "database.dump"
        tables = _dumped(url, dump)
        facts: dict[str, Any] = {
            "format": FORMAT, "version": __version__, "made": now.isoformat(), "tables": tables,
            "sha256": _digest(dump),
        }  # fmt: skip
        try:
            private = os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
            with os.fdopen(private, "wb") as file, tarfile.open(fileobj=file, mode="w") as tar:
                text = json.dumps(facts).encode()
                about = tarfile.TarInfo("backup.json")
                about.size = len(text)
                tar.addfile(about, io.BytesIO(text))
                tar.add(dump, "database.dump")
            with _restored(url, link, fresh):
                pass
            path = directory / f"{now:%Y-%m-%dT%H%M%S}{SUFFIX}"
            fresh.replace(path)
        finally:
            fresh.unlink(missing_ok=True)
    return Made(path, now, sum(count for count, _ in tables.values()))


def restore(url: str, file: Path) -> tuple[Made, str]:
    """Put a backup in the place of the database; what was there stays under the name that is
    returned. Raises BackupError, with nothing changed, for a file that is not whole."""
    name = str(conninfo_to_dict(url)["dbname"])
    aside = f"{name}_before_{datetime.now(UTC):%Y%m%d_%H%M%S}"
    with _alone(url) as link, _restored(url, link, file) as (scratch, facts):
        rows = sum(count for count, _ in facts["tables"].values())
        made = Made(file, datetime.fromisoformat(facts["made"]), rows)
        _rename(link, name, aside)
        try:
            _rename(link, scratch, name)
        except psycopg.Error:
            _rename(link, aside, name)
            raise
        return made, aside


def _rename(link: psycopg.Connection[Any], old: str, new: str) -> None:
    """Whoever is connected is sent away; who comes back meanwhile is sent away again."""
    for tries_left in reversed(range(RENAMES)):
        link.execute(
            "select pg_terminate_backend(pid) from pg_stat_activity"
            " where datname = %s and pid <> pg_backend_pid()", [old],
        )  # fmt: skip
        try:
            link.execute(
                SQL("alter database {} rename to {}").format(Identifier(old), Identifier(new))
            )
        except psycopg.errors.ObjectInUse:
            if not tries_left:
                raise
        else:
            return


def clear_left(url: str, directory: Path) -> int:
    """Throw away what backups that were killed left behind; how many scratch databases."""
    try:
        with _alone(url) as link:
            found = link.execute(
                "select datname from pg_database where starts_with(datname, %s)", [SCRATCH]
            ).fetchall()
            for (name,) in found:
                link.execute(SQL("drop database {} with (force)").format(Identifier(name)))
            for rest in [*directory.glob(f".*{MAKING}"), *directory.glob(f"{ASIDE}*")]:
                shutil.rmtree(rest) if rest.is_dir() else rest.unlink()
            return len(found)
    except BackupError:  # one is being made, or the server lets us see no other database
        return 0


@contextmanager
def _alone(url: str) -> Iterator[psycopg.Connection[Any]]:
    """A connection to the server while nobody else makes or restores a backup. Raises BackupError
    where somebody does, and for whatever the server refuses meanwhile."""
    try:
        with _link(url, "postgres") as link:
            row = link.execute("select pg_try_advisory_lock(%s)", [LOCK]).fetchone()
            if row != (True,):
                raise BackupError("another backup or restore is running: wait until it is done")
            yield link
    except psycopg.Error as error:  # no right to make databases, no connection, no room
        raise BackupError(str(error).partition("\n")[0]) from error


def kept(directory: Path) -> list[Path]:
    """The backups there are, the newest first."""
    return sorted(directory.glob(f"*{SUFFIX}"), reverse=True)


def made_at(path: Path) -> datetime:
    return datetime.strptime(path.stem, "%Y-%m-%dT%H%M%S").replace(tzinfo=UTC)


def rotate(directory: Path, days: int = 7, weeks: int = 5, months: int = 12) -> list[Path]:
    """Drop what no day, week or month needs any more: of each of the last ``days`` days that have
    one, ``weeks`` weeks and ``months`` months, the newest is kept. Returns what was dropped."""
    needed: set[Path] = set()
    for form, most in (("%Y-%m-%d", days), ("%G-%V", weeks), ("%Y-%m", months)):
        newest: dict[str, Path] = {}
        for path in kept(directory):
            newest.setdefault(made_at(path).strftime(form), path)
        needed |= {newest[key] for key in sorted(newest, reverse=True)[:most]}
    dropped = [path for path in kept(directory) if path not in needed]
    for path in dropped:
        path.unlink()
    return dropped


def facts_of(file: BinaryIO) -> dict[str, Any]:
    """What a backup says of itself. Raises BackupError."""
    try:
        with tarfile.open(fileobj=file, mode="r:") as tar:
            held = tar.extractfile("backup.json")
            facts: dict[str, Any] = json.loads(held.read(10_000_000)) if held else {}
    except (tarfile.TarError, KeyError, ValueError, EOFError, OSError, RecursionError) as error:
        raise BackupError(f"this is no backup of Kentrobar: {error}") from None
    if not isinstance(facts, dict) or facts.get("format") != FORMAT:
        raise BackupError(f"this is no {FORMAT} file")
    if set(facts) != KEYS:
        odd = ", ".join(sorted(map(str, set(facts) ^ KEYS)))
        raise BackupError(f"what it says of itself is not whole, or more than is known here: {odd}")
    if not _are_facts(facts):
        raise BackupError("what it says of itself cannot be read: when it was made, or its tables")
    if _numbers(str(facts.get("version"))) > _numbers(__version__):
        raise BackupError(
            f"it was made by Kentrobar {facts['version']}, newer than this {__version__}"
        )
    return facts


def _are_facts(facts: dict[str, Any]) -> bool:
    try:
        is_timed = datetime.fromisoformat(facts["made"]).tzinfo is not None
        return is_timed and all(
            type(count) is int and isinstance(checksum, str)
            for count, checksum in facts["tables"].values()
        )
    except (TypeError, ValueError, AttributeError):
        return False


@contextmanager
def _restored(
    url: str, link: psycopg.Connection[Any], file: Path
) -> Iterator[tuple[str, dict[str, Any]]]:
    """A scratch database with what a backup holds, compared with what it says it holds; gone again
    unless it was renamed meanwhile."""
    scratch = f"{SCRATCH}{secrets.token_hex(4)}"
    with (
        tempfile.TemporaryDirectory(prefix=ASIDE, dir=file.parent) as there,
        file.open("rb") as source,
    ):
        facts = facts_of(source)
        source.seek(0)
        dump = Path(there) / "database.dump"
        try:
            with tarfile.open(fileobj=source, mode="r:") as tar:
                # Read, not unpacked: a name or a link in there leads nowhere.
                held = tar.extractfile("database.dump")
                with dump.open("wb") as out:
                    shutil.copyfileobj(held or io.BytesIO(), out)
        except (tarfile.TarError, KeyError, EOFError, OSError) as error:
            raise BackupError(f"the file is not whole: {error}") from None
        if _digest(dump) != facts.get("sha256"):
            raise BackupError("the file was damaged: its checksum is another")
        link.execute(SQL("create database {}").format(Identifier(scratch)))
        try:
            _program("pg_restore", url, scratch, "--exit-on-error", "--no-owner", str(dump))
            with _link(url, scratch) as there_link:
                found = _sums(there_link)
            if found != {name: list(pair) for name, pair in facts["tables"].items()}:
                raise BackupError(f"not all came back: {_differing(facts['tables'], found)}")
            yield scratch, facts
        finally:
            link.execute(SQL("drop database if exists {} with (force)").format(Identifier(scratch)))


def _dumped(url: str, dump: Path) -> dict[str, list[Any]]:
    """Dump the database as at one moment; the rows and checksum of every table at that moment."""
    with psycopg.connect(make_conninfo(url, options=PLAIN)) as link:
        link.execute("set transaction isolation level repeatable read, read only")
        (snapshot,) = link.execute("select pg_export_snapshot()").fetchone() or ("",)
        _program(
            "pg_dump", url, None, "--format=custom", "--no-owner", f"--snapshot={snapshot}",
            f"--exclude-table-data={SESSIONS}", f"--file={dump}",
        )  # fmt: skip
        return _sums(link)


def _sums(link: psycopg.Connection[Any]) -> dict[str, list[Any]]:
    found: dict[str, list[Any]] = {}
    for (name,) in link.execute(TABLES).fetchall():
        if name != SESSIONS:
            row = link.execute(SUMS.format(Identifier(name))).fetchone()
            found[name] = list(row or ())
    return found


def _differing(said: dict[str, Any], found: dict[str, Any]) -> str:
    names = sorted(set(said) | set(found))
    return ", ".join(name for name in names if list(said.get(name, ())) != found.get(name))[:300]


def _link(url: str, database: str) -> psycopg.Connection[Any]:
    return psycopg.connect(make_conninfo(url, dbname=database, options=PLAIN), autocommit=True)


def _program(name: str, url: str, database: str | None, *arguments: str) -> None:
    """Run a program of PostgreSQL's; the password goes by the environment, where nobody sees it."""
    parts = conninfo_to_dict(url)
    words = {"host": "PGHOST", "port": "PGPORT", "user": "PGUSER", "password": "PGPASSWORD"}
    given = {env: str(parts[key]) for key, env in words.items() if parts.get(key)}
    target = f"--dbname={database or parts['dbname']}"
    done = subprocess.run(
        [str(_newest(name)), target, *arguments], env=os.environ | given, check=False,
        capture_output=True, text=True,
    )  # fmt: skip
    if done.returncode:
        raise BackupError(f"{name} failed: {done.stderr.strip()[-400:]}")


def _newest(name: str) -> Path | str:
    """The newest of Debian's, which reads older servers as well; else whichever is in the path."""
    found = [path for path in BINARIES.glob(f"*/bin/{name}") if path.parts[-3].isdigit()]
    return max(found, key=lambda path: int(path.parts[-3]), default=name)


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _numbers(version: str) -> tuple[int, ...]:
    return tuple(int(part) for part in version.split(".") if part.isdigit())
