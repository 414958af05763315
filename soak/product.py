"""The product as ``make start`` keeps it, any process of which may be killed."""

from __future__ import annotations

import os
import signal
import sys
from pathlib import Path

from conftest import until

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "scripts"))
import processes
import services


class Product:
    """MariaDB, Redis, web server, workers and schedule under their supervisor."""

    def __init__(self, port: int, folder: Path, socket: Path, environment: dict[str, str]) -> None:
        kept = processes.processes(port)
        self.names = [process.name for process in kept]
        self.supervisor = processes.Supervisor(kept, folder, socket)
        self.running = self.supervisor.start(environment)

    def __repr__(self) -> str:
        return f"<Product {', '.join(self.names)}>"

    def kill(self, name: str) -> None:
        """SIGKILL to it and its children, also to a server that ran before the supervisor and is only watched by it.

        Returns once it was started anew.
        """
        file = services.RUN / f"{name}.pid"
        before = int(file.read_text()) if name in services.COMMANDS else self.supervisor.process_id(name)
        os.killpg(before, signal.SIGKILL)
        until(lambda: self.supervisor.process_id(name) not in (0, before), f"{name} started anew")
        if name in services.COMMANDS:
            until(lambda: services.runs(name) and int(file.read_text()) != before, f"{name} started anew")

    def end(self) -> None:
        self.running.terminate()
        self.running.wait(90)
