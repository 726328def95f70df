"""The database of a test process emptied after a test, and filled again as it was kept: by rows, as
truncating a hundred tables and making the demo's workshop take longer than most tests."""

from contextlib import contextmanager
from unittest.mock import patch

from django.db import connection, transaction

# The queue's are not emptied: the worker of these tests is one of its rows.
TABLES = """
select relname from pg_class
where relnamespace = 'public'::regnamespace and relkind = 'r'
and relname <> 'django_migrations' and relname not like 'procrastinate%'
"""
EMPTY = f"""
do $$ declare one name; begin
    for one in {TABLES} loop execute format('delete from public.%I', one); end loop;
end $$
"""
KEEP = f"""
do $$ declare one name; has bool; begin
    drop schema if exists kept cascade;
    create schema kept;
    for one in {TABLES} loop
        execute format('select exists(select from public.%I)', one) into has;
        if has then
            execute format('create table kept.%I as table public.%I', one, one);
        end if;
    end loop;
end $$
"""
FILL = f"""
do $$ declare one name; begin
    for one in {TABLES} loop
        if to_regclass(format('kept.%I', one)) is not null then
            execute format('insert into public.%I select * from kept.%I', one, one);
        end if;
    end loop;
end $$
"""


@contextmanager
def by_rows():
    """What Django does after each test that commits is done so."""
    with patch("django.core.management.commands.flush.sql_flush", lambda *_, **__: [EMPTY]):
        yield


def filled(make):
    """What ``make`` makes on an empty database; made once, and then as it was."""
    with connection.cursor() as cursor:
        cursor.execute("select to_regnamespace('kept') is not null")
        is_kept = cursor.fetchone()[0]
        with transaction.atomic():
            if is_kept:
                cursor.execute(EMPTY)
                cursor.execute(FILL)
                return
        make()
        cursor.execute(KEEP)
