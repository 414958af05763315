"""Starts Move Lot: servers, web, worker, schedule, and for the demo the stand-ins.

usage: stack.py demo | demo-reset | start | standins | units
Runs inside .venv, after scripts/setup.py.
"""

from __future__ import annotations

import hashlib
import json
import os
import pwd
import shutil
import signal
import subprocess
import sys
import threading
import time
import urllib.request
from pathlib import Path

import processes
import services
import units
from processes import WEB_PORT, Process, Supervisor
from services import ROOT, RUN, SetupError

STANDIN_PORT = int(os.environ.get("MOVELOT_STANDIN_PORT", "9443"))
STANDIN_FOLDER = Path(os.environ.get("MOVELOT_STANDIN_FOLDER", RUN / "standins"))
READY_SECONDS = 90


def environment() -> dict[str, str]:
    """The environment of every process we start."""
    # Said of every worker of root's; ours listens to loopback alone.
    return {
        **os.environ,
        **processes.environment(),
        "PYTHONWARNINGS": "ignore:You're running the worker with superuser",
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
    """Database schema and static files, when the code changed since the last time."""
    migrations = sorted((ROOT / "server").rglob("migrations/*.py"))
    built = sorted((ROOT / "web" / "dist").rglob("*"))
    text = os.environ.get("MOVELOT_DB_NAME", "movelot") + "".join(
        f"{file}{file.stat().st_size}{file.stat().st_mtime_ns}" for file in [*migrations, *built]
    )
    stamp, digest = RUN / "stamps" / "prepared", hashlib.sha256(text.encode()).hexdigest()
    if (RUN / "static").exists() and stamp.exists() and stamp.read_text() == digest:
        return
    manage("prepare")
    stamp.parent.mkdir(parents=True, exist_ok=True)
    stamp.write_text(digest)


def standins_process() -> Process:
    """The outside world of the demo."""
    more = {
        "PYTHONPATH": str(ROOT / "standins"),
        "MOVELOT_STANDIN_FOLDER": str(STANDIN_FOLDER),
        "MOVELOT_CONTROL_PORT": os.environ.get("MOVELOT_CONTROL_PORT", "9440"),
        "MOVELOT_STANDIN_QUIET": "1",
    }
    return Process("standins", (sys.executable, "-m", "movelot_standins"), ROOT, tuple(more.items()))


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
        manage("add_policies")
        manage("add_depot", str(cards.with_name("depot.json")))
        stamp.touch(mode=0o600)
        stamp.write_text(database + cards.read_text())


def announce(demo: bool, begun: float, supervisor: subprocess.Popen[bytes]) -> None:
    """Link the stand-ins if this is the demo, then say where to go and as whom."""
    try:
        if demo:
            manage("add_people")
            _link(_standins_up(begun))
        _wait_for(f"http://127.0.0.1:{WEB_PORT}/api/session/")
    except SystemExit as error:
        print(error, flush=True)
        supervisor.terminate()
        return
    print(f"\nMove Lot is up after {time.time() - begun:.1f} s at http://127.0.0.1:{WEB_PORT}/", flush=True)
    link = "" if demo else manage("welcome").strip()
    if link:
        print(f"  no administrator yet; once, within seven days:  {link}", flush=True)
    people = RUN / "keys" / "people.json"
    if demo and people.exists():
        for name, password in json.loads(people.read_text()).items():
            print(f"  sign in as  {name:12}  {password}", flush=True)
    print(f"Logs are in {RUN / 'logs'}. What ends is started anew.", flush=True)
    print("Ctrl-C stops everything; data and running lots are kept.\n", flush=True)


def up(demo: bool) -> None:
    """Everything up until Ctrl-C."""
    begun = time.time()
    services.require_port(WEB_PORT, "the web server", "MOVELOT_PORT")
    if demo:
        services.require_port(STANDIN_PORT, "the stand-ins", "MOVELOT_STANDIN_PORT", "127.40.0.10")
    services.start()
    prepare()
    kept = [*processes.processes(), *([standins_process()] if demo else [])]
    supervisor = Supervisor(kept, RUN / "logs").start(environment())
    signal.signal(signal.SIGTERM, lambda *_: supervisor.terminate())
    threading.Thread(target=announce, args=(demo, begun, supervisor), daemon=True).start()
    code = _ended(supervisor)
    services.stop()
    sys.exit(code)


def _ended(supervisor: subprocess.Popen[bytes]) -> int:
    """How the supervisor ended: it ends what it keeps before itself."""
    while True:
        try:
            return 0 if supervisor.wait() in (0, -signal.SIGINT, -signal.SIGTERM) else 1
        except KeyboardInterrupt:
            # Ctrl-C reaches it as well, a signal to this process alone does not.
            supervisor.terminate()


def write_units() -> None:
    """Everything ready for a start by systemd: the database prepared, the units written."""
    services.start()
    try:
        prepare()
    finally:
        services.stop()
    folder = RUN / "systemd"
    units.write(folder, os.environ.get("MOVELOT_ACCOUNT", pwd.getpwuid(os.geteuid()).pw_name), processes.environment())
    print(f"Units are in {folder}. As root:\n")
    print(f"  cp {folder}/movelot* /etc/systemd/system/ && systemctl daemon-reload")
    print("  systemctl enable --now movelot.target")


def reset() -> None:
    """Forget the demo's data, keys and stand-ins; installed packages stay."""
    services.stop()
    for name in ("mariadb", "mariadb-tmp", "standins", "keys", "static", "pinned"):
        shutil.rmtree(RUN / name, ignore_errors=True)
    for name in ("prepared", "linked"):
        (RUN / "stamps" / name).unlink(missing_ok=True)
    # Or the new database would be taken for one that was restored from a backup.
    for file in RUN.glob("pulse-*"):
        file.unlink()


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
    {"demo": lambda: up(True), "start": lambda: up(False), "standins": standins, "units": write_units}[word]()
