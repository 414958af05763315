"""The web server as it is shipped, for benchmarks that ask over HTTP."""

from __future__ import annotations

import os
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "scripts"))
import processes

WAIT_SECONDS = 60


@contextmanager
def served(port: int) -> Iterator[subprocess.Popen[bytes]]:
    """The server's process while the block runs; it answers from the start."""
    environment = {**os.environ, **processes.environment()}
    running = subprocess.Popen(processes.web_command(port), env=environment, cwd=processes.ROOT / "server")
    try:
        _wait_for(f"http://127.0.0.1:{port}/healthz")
        yield running
    finally:
        running.terminate()
        running.wait(20)


def _wait_for(url: str) -> None:
    deadline = time.monotonic() + WAIT_SECONDS
    while time.monotonic() < deadline:
        try:
            urllib.request.urlopen(url, timeout=2).read()
        except OSError:
            time.sleep(0.2)
        else:
            return
    raise RuntimeError(f"nothing answers at {url} after a minute")
