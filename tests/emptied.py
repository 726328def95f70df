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
# Numbers go on after those that are kept: a restored workshop sets them back to its own.
FILL = f"""
do $$ declare one name; owned record; begin
    for one in {TABLES} loop
        if to_regclass(format('kept.%I', one)) is not null then
            execute format('insert into public.%I select * from kept.%I', one, one);
        end if;
    end loop;
    for owned in
        select s.oid::regclass as numbers, t.relname as of, a.attname as key
        from pg_class s
        join pg_depend d on d.objid = s.oid and d.deptype in ('a', 'i')
        join pg_class t on t.oid = d.refobjid
        join pg_attribute a on a.attrelid = t.oid and a.attnum = d.refobjsubid
        where s.relkind = 'S' and to_regclass(format('kept.%I', t.relname)) is not null
    loop
        execute format(
            'select setval(%L, greatest(max(%I), pg_sequence_last_value(%L))) from public.%I',
            owned.numbers, owned.key, owned.numbers, owned.of
        );
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
