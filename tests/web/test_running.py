"""The machine side: the private PostgreSQL through a rough life, ports, what is watched, HTTPS."""

import contextlib
import io
import json
import os
import re
import shutil
import signal
import socket
import ssl
import subprocess
import sys
import tempfile
import time
from functools import partial
from http.server import BaseHTTPRequestHandler, HTTPServer, ThreadingHTTPServer
from pathlib import Path
from threading import Thread
from types import SimpleNamespace

import pytest
from django.core.management import CommandError, call_command

from kentrobar import __version__, cli
from kentrobar.accounts import doors
from ops import ROOT, front, network, ports, postgres, serve, services, units, upgrade
from ops.certificates import Certificates


@pytest.fixture
def cluster(tmp_path_factory, monkeypatch):
    """A cluster of its own, in a place the postgres account can reach."""
    monkeypatch.delenv("DATABASE_URL", raising=False)
    local = tmp_path_factory.mktemp("local")
    outside = tmp_path_factory.getbasetemp().parents
    tmp = Path(tempfile.gettempdir())
    for part in (local, *(one for one in (local.parent, *outside) if tmp in one.parents)):
        part.chmod(0o755)
    monkeypatch.setattr(postgres, "LOCAL", local)
    return postgres.Cluster("postgres", durable=False)


def ask(url):
    import psycopg

    with psycopg.connect(url) as link:
        return link.execute("select 42").fetchone()[0]


def test_the_cluster_survives_a_rough_life(cluster):
    with cluster.running() as url:
        assert ask(url) == 42
        first = json.loads((cluster.home / "cluster.json").read_text())
    assert "127.0.0.1" in url
    # A pid file whose pid now belongs to somebody else.
    (cluster.data / "postmaster.pid").write_text(f"{os.getpid()}\n{cluster.data}\n")
    with cluster.running() as url:
        assert ask(url) == 42
    # The remembered port is taken.
    with socket.socket() as squatter:
        squatter.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        squatter.bind(("127.0.0.1", first["port"]))
        squatter.listen()
        with cluster.running() as url:
            assert ask(url) == 42
            assert f":{first['port']}/" not in url
    # Its owner was killed outright, and left the server running.
    owner = (
        "import pathlib, time; from ops import postgres\npostgres.LOCAL ="
        f" pathlib.Path({str(cluster.home.parent)!r})\npostgres.dies_with_parent = lambda how:"
        " None\nwith postgres.Cluster('postgres', False).running() as url: print(url, flush=True);"
        " time.sleep(60)"
    )
    orphaned = subprocess.Popen([sys.executable, "-c", owner], cwd=ROOT, stdout=subprocess.PIPE)
    assert orphaned.stdout.readline()
    orphaned.send_signal(signal.SIGKILL)
    orphaned.wait()
    orphaned.stdout.close()
    with cluster.running() as url:
        assert ask(url) == 42
    assert cluster._workers() == []
    # It was interrupted while being made.
    (cluster.home / "finished").unlink()
    (cluster.data / "PG_VERSION").unlink()
    with cluster.running() as url:
        assert ask(url) == 42


def test_one_cluster_has_one_owner(cluster):
    lasting = postgres.Cluster("postgres")
    with (
        lasting.running(),
        pytest.raises(postgres.StartError, match="runs already"),
        lasting.running(),
    ):
        pass


class Slow(BaseHTTPRequestHandler):
    """Answers its first page late."""

    asked = 0

    def do_GET(self):
        type(self).asked += 1
        time.sleep(0.6)
        self.send_response(200)
        self.end_headers()

    def log_message(self, *_):
        pass


def test_a_first_page_that_is_slow_is_waited_for_and_asked_for_once(monkeypatch):
    monkeypatch.setattr(services, "SAY_EVERY", 0.2)
    told = []
    with ThreadingHTTPServer(("127.0.0.1", 0), Slow) as server:
        Thread(target=server.serve_forever, daemon=True).start()
        running = idle("the application")
        services.wait_for([running], f"http://127.0.0.1:{server.server_port}/", told.append)
        server.shutdown()
    assert (Slow.asked, "Waiting for the application to start (" in told[0]) == (1, True)


def test_what_does_not_start_is_told_with_its_last_words(monkeypatch, capfd):
    script = "import sys; sys.exit('no such module: gull')"
    dead = services.Service("the application", [sys.executable, "-c", script])
    with (
        services.Watch([dead], None).running(),
        pytest.raises(postgres.StartError, match=r"ended \(1\) before.*\n.*gull"),
    ):
        services.wait_for([dead], "http://127.0.0.1:9/")
    still = idle("the application")
    monkeypatch.setattr(services, "STILL_SECONDS", 1.0)
    monkeypatch.setattr(services, "SAY_EVERY", 0.2)
    with (
        services.Watch([still], None).running(),
        pytest.raises(postgres.StartError, match="has done nothing"),
    ):
        services.wait_for([still], "http://127.0.0.1:9/", lambda _: None)


def test_a_servers_end_is_quick(cluster):
    with cluster.running():
        started = time.monotonic()
    assert time.monotonic() - started < 10


def asked_of(url, statement):
    import psycopg

    with psycopg.connect(url, autocommit=True) as link:
        found = link.execute(statement)
        return found.fetchall() if found.description else None


IS_SUPER = "select rolsuper from pg_roles where rolname = current_user"


def test_the_applications_role_owns_its_database_and_no_more(cluster):
    with cluster.running() as url:
        assert asked_of(url, IS_SUPER) == [(False,)]
        asked_of(url, "create extension pg_trgm")
        asked_of(url, "create table one (n int generated always as identity)")


def test_a_cluster_from_when_the_role_was_superuser_is_parted(cluster, monkeypatch):
    """As clusters were made before: rows, keys and extensions stay, the role is a plain one."""
    cluster._place_home()
    with monkeypatch.context() as before:
        before.setattr(postgres, "KEEPER", "kentrobar")
        before.setattr(postgres.Cluster, "_answers", cluster_is_up)
        cluster.make()
        facts = cluster.facts()
        cluster.keep({"port": facts["port"], "password": facts["keeper"]})
        with cluster.serving():
            asked_of(
                cluster.url_of("kentrobar", "password", "postgres"), "create database kentrobar"
            )
            asked_of(cluster.url, "create extension pg_trgm")
            asked_of(cluster.url, "create table one (id serial primary key, name text)")
            asked_of(cluster.url, "insert into one (name) values ('a'), ('b')")
            assert asked_of(cluster.url, IS_SUPER) == [(True,)]
    for _ in range(2):
        with cluster.running() as url:
            assert asked_of(url, IS_SUPER) == [(False,)]
            asked_of(url, "alter table one add column if not exists more int")
            asked_of(url, "insert into one (name) values ('c')")
    with cluster.running() as url:
        assert asked_of(url, "select count(*), max(id) from one") == [(4, 4)]


def old_url(cluster):
    return cluster.url_of("kentrobar", "password", "postgres")


def cluster_is_up(cluster):
    import psycopg

    try:
        psycopg.connect(old_url(cluster)).close()
    except psycopg.OperationalError:
        return False
    return True


def as_if_newer(monkeypatch, cluster):
    """The server that is installed, as if it were an older one and its follower."""
    real, mark = cluster.newest(), cluster.version
    binaries = cluster.home.parent / "versions"
    for name in (real, "99"):
        (binaries / name).mkdir(parents=True)
        (binaries / name / "bin").symlink_to(postgres.BINARIES / real / "bin")
    for module in (postgres, upgrade):
        monkeypatch.setattr(module, "BINARIES", binaries)
    is_new = []

    def version(self):
        return "99" if is_new or not (self.data / "PG_VERSION").exists() else mark()

    monkeypatch.setattr(postgres.Cluster, "version", version)
    make = postgres.Cluster.make
    monkeypatch.setattr(postgres.Cluster, "make", lambda self: (is_new.append(1), make(self)))
    return binaries


def filled(cluster):
    with cluster.running() as url:
        asked_of(url, "create extension pg_trgm")
        asked_of(url, "create table one (id serial primary key, name text)")
        asked_of(url, "insert into one (name) select 'n' || i from generate_series(1, 500) i")


def test_a_cluster_moves_on_to_a_newer_server(cluster, monkeypatch, capsys):
    filled(cluster)
    as_if_newer(monkeypatch, cluster)
    with cluster.running() as url:
        assert asked_of(url, "select count(*), max(id) from one") == [(500, 500)]
        asked_of(url, "insert into one (name) values ('more')")
        assert asked_of(url, IS_SUPER) == [(False,)]
    assert "500 rows" in capsys.readouterr().out
    assert list(cluster.home.glob("data-*")), "what was before is kept"


def test_a_move_that_fails_leaves_the_old_server_as_it_was(cluster, monkeypatch):
    filled(cluster)
    with monkeypatch.context() as patch:
        as_if_newer(patch, cluster)
        patch.setattr(upgrade, "_restored", lambda *_: (_ for _ in ()).throw(OSError("disk full")))
        with pytest.raises(postgres.StartError, match="disk full"), cluster.running():
            pass
    with cluster.running() as url:
        assert asked_of(url, "select count(*) from one") == [(500,)]


def test_an_older_server_that_is_gone_strands_nobody_in_silence(cluster, monkeypatch):
    filled(cluster)
    backups = cluster.home.parent / "backups"
    backups.mkdir()
    (backups / "2026-11-25.kentrobar").touch()
    with monkeypatch.context() as patch:
        binaries = as_if_newer(patch, cluster)
        (binaries / postgres.Cluster.version(cluster) / "bin").unlink()
        with pytest.raises(postgres.StartError, match="2026-11-25"), cluster.running():
            pass
    with cluster.running() as url:
        assert asked_of(url, "select count(*) from one") == [(500,)]


# --- ports ---


@pytest.fixture
def clone(tmp_path, monkeypatch):
    """Makes one clone of several on this machine the one at work."""
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))

    def at_work(name):
        local = tmp_path / name
        local.mkdir(exist_ok=True)
        monkeypatch.setattr(ports, "LOCAL", local)
        return local

    return at_work


def free_run(count):
    """The first of so many free ports in a row."""
    return next(
        first
        for first in range(21000, 30000, 50)
        if all(map(ports.is_free, range(first, first + count)))
    )


def test_two_clones_never_meet(clone):
    first = free_run(40)
    clone("one")
    web, simulators = ports.port_of("web", first), ports.port_of("simulators", first, count=5)
    assert (web, simulators) == (first, first + 10), "a run of five keeps off the one"
    clone("two")
    assert ports.port_of("web", first) == first + 1, "though the other is stopped"
    assert ports.port_of("simulators", first, count=5) == first + 20
    clone("one")
    assert ports.port_of("web", first) == web, "remembered"
    # A clone that was thrown away keeps nothing from anybody.
    (clone("one") / "ports.json").unlink()
    clone("one").rmdir()
    clone("three")
    assert ports.port_of("web", first) == first


def test_a_port_that_is_taken(clone):
    first = free_run(10)
    clone("one")
    assert ports.port_of("web", first) == first
    with socket.socket() as squatter:
        squatter.bind(("127.0.0.1", first))
        squatter.listen()
        with pytest.raises(postgres.StartError, match=f"port {first} is taken"):
            ports.port_of("web", first, may_move=False)
        with pytest.raises(postgres.StartError, match="--port"):
            ports.port_of("web", first, wanted=first)
        assert ports.port_of("web", first) == first + 1
    assert ports.port_of("web", first, wanted=first + 7, may_move=False) == first + 7
    assert ports.remembered("web") == first + 7


# --- what is watched ---


def idle(name, seconds=60):
    return services.Service(name, [sys.executable, "-c", f"import time; time.sleep({seconds})"])


def test_what_ends_is_started_again_and_said(monkeypatch):
    told = []
    one, other = idle("the reader"), idle("the web server")
    with services.Watch([one, other], None, told.append).running() as watch:
        killed = one.process.pid
        os.kill(killed, signal.SIGKILL)
        one.process.wait()
        watch.tend()
        assert (one.ended(), one.process.pid != killed) == (None, True)
        assert told == ["The reader ended (-9): starting it again."]
        # One that ends at once is not started over and over.
        os.kill(one.process.pid, signal.SIGKILL)
        one.process.wait()
        watch.tend()
        assert len(told) == 1
        one.started_at -= 2
        watch.tend()
        assert (len(told), one.ended(), one.wait) == (2, None, 2.0)
        pids = [one.process.pid, other.process.pid]
    for pid in pids:
        with pytest.raises(ProcessLookupError):
            os.kill(pid, 0)


@pytest.mark.parametrize("said", [None, "7"])
def test_what_runs_beside_one_another_is_modest_unless_told(monkeypatch, tmp_path, said):
    for name in services.MODEST:
        monkeypatch.setenv(name, said) if said else monkeypatch.delenv(name, raising=False)
    told = tmp_path / "told"
    names = [*services.MODEST]
    script = f"import os; open({str(told)!r}, 'w').write(' '.join(map(os.environ.get, {names})))"
    one = services.Service("worker", [sys.executable, "-c", script])
    one.start()
    one.process.wait(20)
    one.stop()
    assert told.read_text() == ("7 7" if said else "1 4194304")


def test_what_a_thread_once_held_goes_back_to_the_machine():
    """A password takes 19 MiB for a moment; a server has many threads that check one."""
    script = """
import threading
from django.conf import settings
settings.configure()
from kentrobar.accounts.passwords import Argon2

def held():
    return int(open("/proc/self/statm").read().split()[1]) * 4096 / 1e6

def check():
    for _ in range(3):
        Argon2().encode("long-grass-7", "a-grain-of-salt")

before = held()
threads = [threading.Thread(target=check) for _ in range(8)]
[one.start() for one in threads]
[one.join() for one in threads]
print(held() - before)
"""
    command = [sys.executable, "-c", script]
    run = partial(subprocess.run, command, cwd=ROOT, check=True, capture_output=True, text=True)
    assert float(run(env=os.environ | services.MODEST).stdout) < 20


def test_the_database_is_started_again_where_it_was(cluster, monkeypatch):
    told = []
    with cluster.running() as url:
        monkeypatch.setenv("DATABASE_URL", url)
        watch = services.Watch([], cluster, told.append)
        os.kill(cluster._server.pid, signal.SIGKILL)
        cluster._server.wait()
        watch.tend()
        assert (ask(os.environ["DATABASE_URL"]), cluster.url) == (42, url)
    assert told == ["PostgreSQL ended: starting it again."]


def test_a_master_that_was_killed_leaves_no_worker_on_its_port():
    script = (
        "import os, time\nif os.fork() == 0:\n    time.sleep(60)\nprint(flush=True)\ntime.sleep(60)"
    )
    one = services.Service("the web server", [sys.executable, "-c", script], is_quiet=True)
    one.start()
    time.sleep(0.5)
    group = one.process.pid
    os.kill(group, signal.SIGKILL)
    one.process.wait()
    assert alive(group)
    one.restart()
    assert not alive(group)
    one.stop()


def alive(group):
    """Processes of a group that are more than a name nobody has asked after yet."""
    found = []
    for path in Path("/proc").glob("[0-9]*/stat"):
        with contextlib.suppress(OSError):
            state, _, of = path.read_text().rpartition(")")[2].split()[:3]
            if int(of) == group and state != "Z":
                found.append(path)
    return found


# --- HTTPS ---


def test_the_shops_own_certificate(tmp_path):
    files = Certificates(tmp_path / "tls")
    names = ["192.168.7.20", "bench.local", "127.0.0.1"]
    assert files.ready_for(names) is True
    assert files.ready_for(names) is False, "made once"
    authority = files.authority.read_bytes()
    assert files.ready_for([*names[1:], "192.168.7.21"]) is True
    assert files.authority.read_bytes() == authority, "what phones trust stays"
    for secret in ("authority.key", "server.key"):
        assert (files.home / secret).stat().st_mode & 0o077 == 0
    # A network it may not speak for needs another authority, which phones are asked to trust.
    files.ready_for(["203.0.113.9"])
    assert files.authority.read_bytes() != authority
    files.certificate.write_text("torn")
    assert files.ready_for(["203.0.113.9"]) is True
    context = ssl.create_default_context(cafile=str(files.authority))
    assert context.cert_store_stats()["x509_ca"] == 1


def test_phones_reach_it_over_https_and_nothing_else(tmp_path):
    """A real handshake: by the address in the certificate, under the shop's own authority."""
    files = Certificates(tmp_path)
    files.ready_for(["127.0.0.1"])
    server = HTTPServer(("127.0.0.1", 0), BaseHTTPRequestHandler)
    ours = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    ours.load_cert_chain(files.certificate, files.key)
    server.socket = ours.wrap_socket(server.socket, server_side=True)
    Thread(target=server.serve_forever, daemon=True).start()
    port = server.server_port
    theirs = ssl.create_default_context(cafile=str(files.authority))
    with (
        socket.create_connection(("127.0.0.1", port)) as plain,
        theirs.wrap_socket(plain, server_hostname="127.0.0.1") as line,
    ):
        assert line.version() in ("TLSv1.2", "TLSv1.3")
    with (
        socket.create_connection(("127.0.0.1", port)) as plain,
        pytest.raises(ssl.SSLCertVerificationError),
    ):
        ssl.create_default_context().wrap_socket(plain, server_hostname="127.0.0.1")
    server.shutdown()
    server.server_close()


def test_the_door_follows_what_the_owner_chose(tmp_path, monkeypatch):
    monkeypatch.setattr(network, "LOCAL", tmp_path)
    monkeypatch.setattr(network, "TLS", tmp_path / "tls")
    monkeypatch.setattr(network, "port_of", lambda *_, **__: 8841)
    monkeypatch.setattr(network, "remembered", lambda _: 8841)
    monkeypatch.setattr(network, "names", lambda: ["192.168.7.20", "bench.local"])
    monkeypatch.setattr(front, "LOCAL", tmp_path)
    told, before = [], front.Front("127.0.0.1:8831")
    before.write()
    doors.tell("https://192.168.7.1:8841/", tmp_path)
    door = network.Network(SimpleNamespace(say=told.append), before, 8841)
    written = before.home / "nginx.conf"
    assert doors.address(tmp_path) == "", "of an earlier run"
    door.follow()
    assert (told, "ssl" in written.read_text()) == ([], False), "closed until somebody opens it"
    doors.choose(True, tmp_path)
    door.follow()
    assert "listen 0.0.0.0:8841 ssl" in written.read_text()
    assert '"192.168.7.20" "bench.local"' in written.read_text()
    assert doors.address(tmp_path) == "https://192.168.7.20:8841/"
    monkeypatch.setattr(network, "names", lambda: ["192.168.7.99"])
    door._looked_at -= network.LOOK_AGAIN_SECONDS
    door.follow()
    assert doors.address(tmp_path) == "https://192.168.7.99:8841/"
    doors.choose(False, tmp_path)
    door.follow()
    assert ("ssl" in written.read_text(), doors.address(tmp_path)) == (False, "")
    (tmp_path / doors.NETWORK).write_text("torn")
    assert not doors.is_open(tmp_path)


# --- systemd, the command line ---


def test_units_start_every_part_after_its_database():
    written = units.texts(serve.PARTS, "una")
    assert set(written) == {f"kentrobar-{part}.service" for part in serve.PARTS}
    for name, text in written.items():
        assert ("User=una" in text, "Restart=always" in text) == (True, True)
        assert ("Requires=kentrobar-database.service" in text) == (
            name != "kentrobar-database.service"
        )


@pytest.mark.skipif(not shutil.which("systemd-analyze"), reason="no systemd here")
def test_systemd_finds_no_fault_with_the_units_and_little_exposed(tmp_path, monkeypatch):
    """In a folder whose name has a blank and signs of systemd's own, too."""
    clone = tmp_path / 'Una’s "50 %" $HOME'
    (clone / "bin").mkdir(parents=True)
    (clone / "bin" / "python").symlink_to(sys.executable)
    monkeypatch.setattr(units, "ROOT", clone)
    monkeypatch.setattr(units, "LOCAL", clone / ".local")
    monkeypatch.setattr(units.sys, "executable", str(clone / "bin" / "python"))
    for name, text in units.texts(serve.PARTS, "root").items():
        (tmp_path / name).write_text(text)
    written = [str(path) for path in sorted(tmp_path.glob("*.service"))]
    quiet = os.environ | {"SYSTEMD_LOG_LEVEL": "err"}
    ask = partial(subprocess.run, capture_output=True, text=True, check=False, env=quiet)
    done = ask(["systemd-analyze", "verify", "--man=no", *written])
    assert [line for line in done.stderr.splitlines() if "kentrobar" in line] == []
    for one in written:
        told = ask(["systemd-analyze", "security", "--offline=yes", "--no-pager", one]).stdout
        level = re.search(r"Overall exposure level.*: ([0-9.]+)", told)[1]
        assert float(level) < 4, (one, level)


def test_the_settings_of_the_shell_that_installs_are_kept_in_a_file():
    known = {"KENTROBAR_MAIL": "smtp://a:b@c", "DATABASE_URL": "postgresql://x", "HOME": "/root",
             "KENTROBAR_LOCAL": "/x"}  # fmt: skip
    rows = [one for one in units.settings_text(known).splitlines() if one[0] != "#"]
    assert rows == ['DATABASE_URL="postgresql://x"', 'KENTROBAR_MAIL="smtp://a:b@c"']


def test_the_command_line_knows_its_words(capsys, tmp_path):
    assert cli.main(["version"]) == 0
    assert capsys.readouterr().out.strip() == f"Kentrobar {__version__}"
    plan = tmp_path / "plan.json"
    plan.write_text("{}")
    assert cli.main(["predict", str(plan)]) == 2
    with pytest.raises(SystemExit) as told:
        cli.main(["--help"])
    assert told.value.code == 0
    assert "kentrobar backup --to" in capsys.readouterr().out


def test_a_shelf_is_taken_over_by_a_new_shop_only(db, racket, tmp_path):
    from kentrobar.stock.models import Material

    Material.objects.filter(name="putty").update(price=99)
    kept = io.StringIO()
    call_command("shelf", stdout=kept)
    file = tmp_path / "shelf.json"
    file.write_text(kept.getvalue())
    with pytest.raises(CommandError, match="only a new shop"):
        call_command("shelf", str(file))
    racket.delete()
    Material.objects.filter(name="putty").update(price=1)
    call_command("shelf", str(file), stdout=io.StringIO())
    assert Material.objects.get(name="putty").price == 99
    file.write_text('[{"model": "auth.user", "fields": {"username": "gull"}}]')
    with pytest.raises(CommandError, match="more in this file"):
        call_command("shelf", str(file))
    assert Material.objects.count() > 5
