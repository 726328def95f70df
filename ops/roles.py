"""Who may do what in the private cluster: ``keeper`` sets up, ``kentrobar`` owns the application's
databases and nothing else."""

from __future__ import annotations

import secrets
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from .postgres import Cluster

KEEPER = "keeper"
OWN_ALL = """
do $$
declare one record;
begin
    for one in select c.oid::regclass as name from pg_class c
        join pg_namespace n on n.oid = c.relnamespace
        where n.nspname = 'public' and c.relkind in ('r', 'p', 'v', 'm') loop
        execute format('alter table %s owner to kentrobar', one.name);
    end loop;
    execute 'alter schema public owner to kentrobar';
end $$
"""
"""Gives what lies in the application's database to its role; sequences of columns follow their
tables."""


def provide(link: Any, password: str) -> None:
    """The application's role and database, where they are missing."""
    if not _is_there(link, "pg_roles where rolname"):
        link.execute(_role(password))
    if not _is_there(link, "pg_database where datname"):
        link.execute("create database kentrobar owner kentrobar")


def part(cluster: Cluster) -> None:
    """Of a cluster from when ``kentrobar`` was its superuser: that becomes ``keeper``, and a plain
    ``kentrobar`` owns what is the application's."""
    import psycopg

    facts = cluster.facts() | {"keeper": secrets.token_urlsafe(24)}
    old = cluster.url_of("kentrobar", "password", "postgres")
    with psycopg.connect(old, autocommit=True, connect_timeout=2) as link:
        link.execute("drop role if exists kentrobar_helper")
        helper = "create role kentrobar_helper superuser login password {}"
        link.execute(_with(helper, facts["keeper"]))
    helped = old.replace("kentrobar:", "kentrobar_helper:", 1)
    helped = helped.replace(facts["password"], facts["keeper"], 1)
    with psycopg.connect(helped, autocommit=True, connect_timeout=2) as link:
        link.execute(f"alter role kentrobar rename to {KEEPER}")
        link.execute(_with(f"alter role {KEEPER} password {{}}", facts["keeper"]))
        link.execute(_role(facts["password"]))
        if _is_there(link, "pg_database where datname"):
            link.execute("alter database kentrobar owner to kentrobar")
    cluster.keep(facts)
    with psycopg.connect(cluster.url_of(KEEPER, "keeper", "postgres"), autocommit=True) as link:
        link.execute("drop role kentrobar_helper")
        provide(link, facts["password"])
    with psycopg.connect(cluster.keeper_url, autocommit=True) as link:
        link.execute(OWN_ALL)


def _with(text: str, secret: str) -> Any:
    """A statement that takes no parameters, with a text quoted into it."""
    from psycopg.sql import SQL, Literal

    return SQL(text).format(Literal(secret))


def _role(password: str) -> Any:
    """It may make databases: a backup is restored beside what is there, and looked at first."""
    return _with("create role kentrobar login createdb nosuperuser password {}", password)


def _is_there(link: Any, where: str) -> bool:
    return link.execute(f"select 1 from {where} = 'kentrobar'").fetchone() is not None
