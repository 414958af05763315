"""The commands' one clear line when something is in the way."""

from __future__ import annotations

import os
import shutil
import signal
import socket
import subprocess
import sys
from collections import namedtuple
from pathlib import Path

import pytest

import processes
import services
import setup
import units
from conftest import ROOT, until

Folders = pytest.TempPathFactory


def test_a_busy_port_is_named_with_the_variable_that_moves_it() -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        with pytest.raises(services.SetupError) as busy:
            services.require_port(port, "the web server", "MOVELOT_PORT")
    assert str(port) in str(busy.value)
    assert "MOVELOT_PORT" in str(busy.value)
    assert "\n" not in str(busy.value)


def test_a_full_disk_is_said_before_anything_starts(monkeypatch: pytest.MonkeyPatch) -> None:
    usage = namedtuple("usage", "total used free")
    monkeypatch.setattr(services.shutil, "disk_usage", lambda _path: usage(10, 10, 5 * 2**20))
    with pytest.raises(services.SetupError) as full:
        services.check_disk()
    assert "5 MiB free; 1024 MiB are needed" in str(full.value)


def test_without_root_the_one_line_to_run_is_printed(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(setup, "PACKAGES", {"mariadb-server": "/no/such/file", "gcc": "/usr/bin/env"})
    monkeypatch.setattr(setup.os, "geteuid", lambda: 1000)
    with pytest.raises(services.SetupError) as missing:
        setup.debian_packages()
    assert str(missing.value).endswith("Run: sudo apt-get install -y --no-install-recommends mariadb-server")


def test_the_backup_chapter_works_as_it_is_written(tmp_path_factory: pytest.TempPathFactory) -> None:
    """Its commands on a stopped installation of its own; a socket's path may not be long."""
    folder = tmp_path_factory.mktemp("b")
    for part in (".venv", "scripts"):
        (folder / part).symlink_to(ROOT / part)
    with socket.socket() as one, socket.socket() as two:
        one.bind(("127.0.0.1", 0))
        two.bind(("127.0.0.1", 0))
        ports = {"MOVELOT_DB_PORT": str(one.getsockname()[1]), "MOVELOT_REDIS_PORT": str(two.getsockname()[1])}

    def sh(command: str) -> str:
        env = {**os.environ, **ports, "MOVELOT_RUN": str(folder / ".run")}
        return subprocess.run(
            command, shell=True, cwd=folder, env=env, check=True, capture_output=True, text=True
        ).stdout

    def sql(statement: str) -> str:
        return sh(f'mariadb --no-defaults --socket=.run/mariadb.sock movelot -Ne "{statement}"').strip()

    chapter = (ROOT / "docs" / "operations.md").read_text().split("## Backup and restore")[1].split("\n## ")[0]
    start, dump, restore, stop = (line.strip() for line in chapter.splitlines() if line.startswith("    "))
    sh(start)
    try:
        sql("CREATE TABLE kept (what TEXT); INSERT INTO kept VALUES ('berth-a')")
        sh(dump)
        sql("DROP TABLE kept")
        sh(restore)
        assert sql("SELECT what FROM kept") == "berth-a"
    finally:
        sh(stop)


def test_a_key_is_made_once_and_readable_by_its_owner_only(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setattr(services, "RUN", tmp_path)
    first = services.key("django")
    assert services.key("django") == first
    assert (tmp_path / "keys" / "django").stat().st_mode & 0o077 == 0


def test_a_stamp_holds_until_what_it_was_made_from_changes(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setattr(setup, "RUN", tmp_path)
    monkeypatch.setattr(setup, "ROOT", tmp_path)
    source = tmp_path / "lock"
    source.write_text("one")
    fresh, stamp, digest = setup._stamped("part", [source])
    assert not fresh
    stamp.write_text(digest)
    assert setup._stamped("part", [source])[0]
    source.write_text("two")
    assert not setup._stamped("part", [source])[0]


def test_units_run_what_the_supervisor_runs_and_systemd_takes_them(tmp_path: Path) -> None:
    files = units.write(tmp_path, "daemon", {"MOVELOT_PORT": "8470"})
    texts = {file.name: file.read_text() for file in files}
    for process in processes.processes():
        text = texts[units.name_of(process)]
        assert f"ExecStart={' '.join(process.command).replace('%', '%%')}\n" in text
        assert "Restart=always" in text
        assert units.name_of(process) in texts["movelot.target"]
    checker = shutil.which("systemd-analyze")
    if checker:
        said = subprocess.run([checker, "verify", *files], capture_output=True, text=True, check=False)
        assert not [line for line in said.stderr.splitlines() if "movelot" in line], said.stderr


def lives(number: int) -> bool:
    """Whether a process runs; one that ended and that nobody has asked how is listed still, as Z."""
    file = Path(f"/proc/{number}/stat")
    return file.exists() and file.read_text().rpartition(")")[2].split()[0] != "Z"


def test_the_supervisor_starts_a_killed_process_anew_and_ends_with_all_it_keeps(tmp_path_factory: Folders) -> None:
    folder = tmp_path_factory.mktemp("s")
    command = (sys.executable, "-c", "import time; time.sleep(600)")
    supervisor = processes.Supervisor([processes.Process("idle", command, folder)], folder, folder / "sock")
    running = supervisor.start(dict(os.environ))
    try:
        first = until(lambda: supervisor.process_id("idle"), "its start")
        os.kill(first, signal.SIGKILL)
        second = until(lambda: supervisor.process_id("idle") not in (0, first) and supervisor.process_id("idle"), "it")
        assert lives(second)
        # Also where the supervisor itself is killed: what it kept would hold its ports for ever.
        running.kill()
        running.wait(10)
        until(lambda: not lives(second), "the end of what it kept")
    finally:
        running.kill()
