"""The processes that Move Lot consists of, and the supervisor that starts each anew when it ends.

supervisor (from PyPI) keeps them for ``make demo`` and ``make start``; installations may have systemd do the same with
the units that ``make units`` writes, which run the same commands.
"""

from __future__ import annotations

import os
import secrets
import subprocess
import sys
from dataclasses import dataclass
from pathlib import Path

from services import COMMANDS, ROOT, RUN

WEB_PORT = int(os.environ.get("MOVELOT_PORT", "8470"))
BIN = Path(sys.executable).parent
# The workers: which queues each takes from, and how many tasks at once. They mostly wait, for devices or the database.
WORKERS = {"readings": ("readings,checks", 5), "judging": ("judging,heavy", 2), "lots": ("lots", 12)}
# They start first and end last.
SERVERS = tuple(COMMANDS)


@dataclass(frozen=True)
class Process:
    """A process by name: its command, the folder it runs in, and what it finds in its environment besides."""

    name: str
    command: tuple[str, ...]
    folder: Path = ROOT / "server"
    environment: tuple[tuple[str, str], ...] = ()
    # What it gets to end by itself. A worker that is killed leaves each lot's steps where they can be taken up.
    stop_seconds: int = 5


def web_command(port: int = WEB_PORT) -> tuple[str, ...]:
    """The web server."""
    shape = ["--workers", "2", "--threads", "4", "--preload", "--timeout", "60", "--log-level", "warning"]
    return (f"{BIN}/gunicorn", "movelot.wsgi", "--bind", f"127.0.0.1:{port}", *shape)


def worker_command(name: str) -> tuple[str, ...]:
    """One of the workers."""
    queues, at_once = WORKERS[name]
    shape = ["--pool", "threads", "--concurrency", str(at_once), "--without-gossip", "--without-mingle"]
    named = ["--queues", queues, "--hostname", f"{name}@%h", "--loglevel", "WARNING"]
    return (f"{BIN}/celery", "--quiet", "--app", "movelot", "worker", *named, *shape)


def schedule_command() -> tuple[str, ...]:
    """What asks for readings, and takes up what was left; one of it wherever workers run."""
    return (f"{BIN}/celery", "--quiet", "--app", "movelot", "beat", "--pidfile=", "--loglevel", "WARNING")


def keeper_command(server: str) -> tuple[str, ...]:
    """MariaDB or Redis; one that runs already is left alone, and followed when it ends."""
    return (sys.executable, str(ROOT / "scripts" / "services.py"), "keep", server)


def processes(port: int = WEB_PORT) -> list[Process]:
    """All but the stand-ins."""
    return [
        *(Process(name, keeper_command(name), ROOT, stop_seconds=60) for name in SERVERS),
        Process("web", web_command(port)),
        *(Process(f"worker-{name}", worker_command(name)) for name in WORKERS),
        Process("schedule", schedule_command()),
    ]


def environment() -> dict[str, str]:
    """What the processes find in their environment: paths, and all that was set for Move Lot when this was called."""
    ours = {name: value for name, value in os.environ.items() if name.startswith("MOVELOT_")}
    path = os.pathsep.join(str(ROOT / room) for room in ("core", "server"))
    fixed = {"PYTHONPATH": path, "DJANGO_SETTINGS_MODULE": "movelot.settings", "PYTHONUNBUFFERED": "1"}
    return {**ours, "MOVELOT_RUN": str(RUN), **fixed, "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}


class Supervisor:
    """A supervisor with its settings, logs and socket in one folder; what it keeps lives no longer than it does."""

    def __init__(self, kept: list[Process], folder: Path, socket: Path = RUN / "supervisor.sock") -> None:
        self.folder, self.socket = folder, socket
        folder.mkdir(parents=True, exist_ok=True)
        self.file = folder / "supervisor.conf"
        self.file.touch(mode=0o600)
        self.file.write_text("\n".join(self._lines(kept)))

    def _lines(self, kept: list[Process]) -> list[str]:
        lines = ["[supervisord]", "nodaemon=true", "loglevel=warn", "strip_ansi=true"]
        # Said where it is so on purpose; it warns of it otherwise.
        lines += [] if os.geteuid() else ["user=root"]
        lines += [f"logfile={self.folder / 'supervisor.log'}", "logfile_maxbytes=5MB", "logfile_backups=2"]
        lines += [f"pidfile={self.folder / 'supervisor.pid'}", f"childlogdir={self.folder}"]
        account = ["username=movelot", f"password={secrets.token_urlsafe(24)}"]
        lines += ["[unix_http_server]", f"file={self.socket}", "chmod=0700", *account, "[rpcinterface:supervisor]"]
        lines += ["supervisor.rpcinterface_factory=supervisor.rpcinterface:make_main_rpcinterface"]
        lines += ["[supervisorctl]", f"serverurl=unix://{self.socket}", *account]
        for process in kept:
            lines += self._program(process)
        return [*lines, ""]

    def _program(self, process: Process) -> list[str]:
        """A second of life counts as a start; each start that fails waits a second more than the last one."""
        words = " ".join(f'"{word}"' for word in ("setpriv", "--pdeathsig", "TERM", *process.command))
        environment = ",".join(f'{name}="{value}"' for name, value in process.environment)
        return [
            f"[program:{process.name}]",
            f"command={words}".replace("%", "%%"),
            f"directory={process.folder}",
            f"environment={environment}".replace("%", "%%"),
            f"stdout_logfile={self.folder / process.name}.log",
            "redirect_stderr=true",
            "stdout_logfile_maxbytes=10MB",
            "stdout_logfile_backups=2",
            "autorestart=true",
            "startsecs=1",
            "startretries=1000000",
            f"stopwaitsecs={process.stop_seconds}",
            f"priority={1 if process.name in SERVERS else 10}",
        ]

    def start(self, environment: dict[str, str]) -> subprocess.Popen[bytes]:
        """The supervisor in the foreground of its own; what it starts has this environment."""
        return subprocess.Popen([f"{BIN}/supervisord", "--configuration", str(self.file)], env=environment)

    def process_id(self, name: str) -> int:
        """The number of a process as it runs now; 0 while it does not."""
        told = self.ask("pid", name)
        return int(told) if told.isdigit() else 0

    def ask(self, *words: str) -> str:
        """What supervisorctl says to these words."""
        command = [f"{BIN}/supervisorctl", "--configuration", str(self.file), *words]
        return subprocess.run(command, capture_output=True, text=True, check=False).stdout.strip()
