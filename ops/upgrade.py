"""A cluster moves on to a newer PostgreSQL: dumped by the old server, restored by the new one,
compared, and only then put in its place. Whatever fails, the old one stands as it was.
"""

from __future__ import annotations

import os
import shutil
import subprocess
from pathlib import Path

from .postgres import BINARIES, Cluster, StartError, server_user
from .roles import KEEPER

COUNTS = """
select format('%I', relname), (xpath('/row/n/text()', query_to_xml(
    format('select count(*) as n from public.%I', relname), false, true, '')))[1]::text::bigint
from pg_class c join pg_namespace n on n.oid = c.relnamespace
where n.nspname = 'public' and c.relkind = 'r' order by relname
"""


def moved_on(cluster: Cluster, before: str, now: str) -> None:
    """Raises StartError where that cannot be; the cluster is then as it was, of ``before``."""
    if float(now) < float(before) or not (BINARIES / before / "bin/postgres").exists():
        newest = next(iter(sorted(backups(cluster.home.parent), reverse=True)), None)
        restore = f", or restore the newest backup, {newest}" if newest else ""
        raise StartError(
            f"{cluster.data} was made by PostgreSQL {before}, which is not installed here."
            f" Install postgresql-{before} from the Debian it came of{restore}. Nothing was"
            " changed."
        )
    print(f"PostgreSQL {before} is followed by {now}: moving the data over …", flush=True)
    old, new, dump = cluster.data, cluster.data.with_name("data-new"), _file(cluster)
    facts = cluster.facts()
    try:
        counted = _dumped(cluster, dump, now)
        shutil.rmtree(new, ignore_errors=True)
        kept = old.with_name(f"data-{before}")
        shutil.rmtree(kept, ignore_errors=True)
        old.rename(kept)
        try:
            _restored(cluster, dump, counted)
        except BaseException:
            shutil.rmtree(old, ignore_errors=True)
            kept.rename(old)
            cluster.keep(facts)
            raise
    except (OSError, subprocess.SubprocessError) as error:
        raise StartError(
            f"the data could not be moved to {now}: {error}. Nothing was changed."
        ) from error
    finally:
        dump.unlink(missing_ok=True)
    print(f"Moved, {sum(counted.values())} rows. What was before lies in {kept}", flush=True)


def backups(local: Path) -> list[Path]:
    return list((local / "backups").glob("*.kentrobar"))


def _file(cluster: Cluster) -> Path:
    """Where the old server's account and the new one's can both write."""
    return cluster.data.with_name("moving.dump")


def _dumped(cluster: Cluster, dump: Path, now: str) -> dict[str, int]:
    """Dump by the newer version's own program, as its makers advise; how many rows each table
    has."""
    with cluster.serving():
        counted = _counts(cluster)
        _program(cluster, now, "pg_dump", "--format=custom", f"--file={dump}")
    return counted


def _restored(cluster: Cluster, dump: Path, counted: dict[str, int]) -> None:
    cluster.make()
    with cluster.serving():
        version = cluster.version()
        _program(
            cluster, version, "pg_restore", "--exit-on-error", "--no-owner", "--role=kentrobar",
            str(dump),
        )  # fmt: skip
        found = _counts(cluster)
    if found != counted:
        raise StartError(f"the rows do not agree: {counted} became {found}. Nothing was changed.")


def _counts(cluster: Cluster) -> dict[str, int]:
    import psycopg

    with psycopg.connect(cluster.keeper_url) as link:
        return dict(link.execute(COUNTS).fetchall())


def _program(cluster: Cluster, version: str, name: str, *arguments: str) -> None:
    facts = cluster.facts()
    # By the environment, where no list of processes shows the password.
    given = {"PGHOST": "127.0.0.1", "PGPORT": str(facts["port"]), "PGUSER": KEEPER}
    done = subprocess.run(
        [str(BINARIES / version / "bin" / name), "--dbname=kentrobar", *arguments], check=False,
        capture_output=True, text=True, cwd="/",
        env=os.environ | given | {"PGPASSWORD": facts["keeper"]}, **server_user(),
    )  # fmt: skip
    if done.returncode:
        raise StartError(f"{name} failed: {done.stderr.strip()[-400:]} Nothing was changed.")
