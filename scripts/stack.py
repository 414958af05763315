"""Starts Move Lot: servers, web, worker, schedule, and for the demo the stand-ins.

usage: stack.py demo | demo-reset | start | standins
Runs inside .venv, after scripts/setup.py.
"""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import subprocess
import sys
import threading
import time
import urllib.request
from pathlib import Path

from honcho.manager import Manager

import services
from services import ROOT, RUN, SetupError

WEB_PORT = int(os.environ.get("MOVELOT_PORT", "8470"))
STANDIN_PORT = int(os.environ.get("MOVELOT_STANDIN_PORT", "9443"))
STANDIN_FOLDER = Path(os.environ.get("MOVELOT_STANDIN_FOLDER", RUN / "standins"))
BIN = Path(sys.executable).parent
READY_SECONDS = 90


def environment(**more: str) -> dict[str, str]:
    """The environment of every process we start."""
    path = os.pathsep.join(str(ROOT / room) for room in ("core", "server", "standins"))
    return {
        **os.environ,
        "PYTHONPATH": path,
        "MOVELOT_RUN": str(RUN),
        "DJANGO_SETTINGS_MODULE": "movelot.settings",
        "PYTHONUNBUFFERED": "1",
        "OMP_NUM_THREADS": "1",
        "OPENBLAS_NUM_THREADS": "1",
        # Said of every worker of root's; ours listens to loopback alone.
        "PYTHONWARNINGS": "ignore:You're running the worker with superuser",
        **more,
    }


def manage(*words: str, quiet: bool = True) -> str:
    done = subprocess.run(
        [sys.executable, str(ROOT / "server" / "manage.py"), *words],
        env=environment(),
        capture_output=True,
        text=True,
        check=False,
    )
    if done.returncode:
        raise SetupError(f"{' '.join(words)} failed:\n{(done.stderr or done.stdout).strip()[-1500:]}")
    if not quiet:
        print(done.stdout.strip(), flush=True)
    return done.stdout


def prepare() -> None:
    """Database schema, static files and people, when the code changed since the last time or there are no people."""
    migrations = sorted((ROOT / "server").rglob("migrations/*.py"))
    built = sorted((ROOT / "web" / "dist").rglob("*"))
    text = os.environ.get("MOVELOT_DB_NAME", "movelot") + "".join(
        f"{file}{file.stat().st_size}{file.stat().st_mtime_ns}" for file in [*migrations, *built]
    )
    stamp, digest = RUN / "stamps" / "prepared", hashlib.sha256(text.encode()).hexdigest()
    there = (RUN / "static").exists() and (RUN / "keys" / "people.json").exists()
    if there and stamp.exists() and stamp.read_text() == digest:
        return
    manage("prepare")
    stamp.parent.mkdir(parents=True, exist_ok=True)
    stamp.write_text(digest)


# The workers: which queues each takes from, and how many tasks at once. They mostly wait, for devices or the database.
WORKERS = {"readings": ("readings,checks", 5), "judging": ("judging,heavy", 2), "lots": ("lots", 12)}


def worker_command(name: str) -> list[str]:
    """One of the workers."""
    queues, at_once = WORKERS[name]
    shape = ["--pool", "threads", "--concurrency", str(at_once), "--without-gossip", "--without-mingle"]
    return ["celery", "--quiet", "--app", "movelot", "worker", "--queues", queues, "--hostname", f"{name}@%h", *shape]


def commands() -> dict[str, str]:
    """Web, the workers, and with the first of them the schedule: one process less to start."""
    workers = {
        f"worker-{name}": f"{BIN}/{' '.join(worker_command(name))} --loglevel WARNING"
        f"{' --beat' if name == 'readings' else ''}"
        for name in WORKERS
    }
    return {
        "web": f"{BIN}/gunicorn movelot.wsgi --bind 127.0.0.1:{WEB_PORT} --workers 2 --threads 4 --preload "
        f"--timeout 60 --log-level warning --chdir {ROOT / 'server'}",
        **workers,
    }


def standin_command() -> str:
    return f"{sys.executable} -m movelot_standins"


def _wait_for(url: str) -> None:
    deadline = time.monotonic() + READY_SECONDS
    while time.monotonic() < deadline:
        try:
            urllib.request.urlopen(url, timeout=2).read()
        except OSError:
            time.sleep(0.15)
        else:
            return
    raise SetupError(f"nothing answers at {url} after {READY_SECONDS} s.")


def _standins_up(before: float) -> Path:
    """The stand-ins' cards, once written by this start."""
    file, deadline = STANDIN_FOLDER / "devices.json", time.monotonic() + READY_SECONDS
    while not (file.exists() and file.stat().st_mtime >= before):
        if time.monotonic() > deadline:
            raise SetupError(f"the stand-ins did not start within {READY_SECONDS} s.")
        time.sleep(0.1)
    return file


def _link(cards: Path) -> None:
    """Link the stand-ins and learn their history, unless the same ones were linked by an earlier start."""
    stamp, database = RUN / "stamps" / "linked", os.environ.get("MOVELOT_DB_NAME", "movelot")
    if not stamp.exists() or stamp.read_text() != database + cards.read_text():
        manage("link_standins", str(cards))
        stamp.touch(mode=0o600)
        stamp.write_text(database + cards.read_text())


def announce(demo: bool, begun: float) -> None:
    """Link the stand-ins if this is the demo, then say where to go and as whom."""
    try:
        if demo:
            _link(_standins_up(begun))
        _wait_for(f"http://127.0.0.1:{WEB_PORT}/api/session/")
    except SystemExit as error:
        print(error, flush=True)
        os.kill(os.getpid(), 15)
        return
    print(f"\nMove Lot is up after {time.time() - begun:.1f} s at http://127.0.0.1:{WEB_PORT}/", flush=True)
    people = RUN / "keys" / "people.json"
    if people.exists():
        for name, password in json.loads(people.read_text()).items():
            print(f"  sign in as  {name:12}  {password}", flush=True)
    print("Ctrl-C stops everything; data and running lots are kept.\n", flush=True)


def up(demo: bool) -> None:
    """Everything up until Ctrl-C."""
    begun = time.time()
    services.require_port(WEB_PORT, "the web server", "MOVELOT_PORT")
    if demo:
        services.require_port(STANDIN_PORT, "the stand-ins", "MOVELOT_STANDIN_PORT", "127.40.0.10")
    services.start()
    prepare()
    manager = Manager()
    for name, command in commands().items():
        manager.add_process(name, command, env=environment(), cwd=str(ROOT / "server"))
    if demo:
        manager.add_process(
            "standins",
            standin_command(),
            cwd=str(ROOT),
            env=environment(
                MOVELOT_STANDIN_FOLDER=str(STANDIN_FOLDER),
                MOVELOT_CONTROL_PORT=os.environ.get("MOVELOT_CONTROL_PORT", "9440"),
                MOVELOT_STANDIN_QUIET="1",
            ),
        )
    threading.Thread(target=announce, args=(demo, begun), daemon=True).start()
    manager.loop()
    services.stop()
    sys.exit(0 if manager.returncode in (0, 130, -2, -15, 143) else 1)


def reset() -> None:
    """Forget the demo's data, keys and stand-ins; installed packages stay."""
    services.stop()
    for name in ("mariadb", "redis", "standins", "keys", "static", "pinned"):
        shutil.rmtree(RUN / name, ignore_errors=True)
    for name in ("prepared", "linked"):
        (RUN / "stamps" / name).unlink(missing_ok=True)


def standins() -> None:
    """The stand-ins alone, in the foreground."""
    services.check_disk()
    services.require_port(STANDIN_PORT, "the stand-ins", "MOVELOT_STANDIN_PORT", "127.40.0.10")
    os.execve(
        sys.executable,
        [sys.executable, "-m", "movelot_standins"],
        environment(MOVELOT_STANDIN_FOLDER=str(STANDIN_FOLDER)),
    )


if __name__ == "__main__":
    word = sys.argv[1] if len(sys.argv) > 1 else ""
    if word == "demo-reset":
        reset()
        word = "demo"
    {"demo": lambda: up(True), "start": lambda: up(False), "standins": standins}[word]()
