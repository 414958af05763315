"""Time from ``make demo``, started for the second time, to the first page."""

from __future__ import annotations

import os
import signal
import subprocess
import time
import urllib.error
import urllib.request
from pathlib import Path

from bench.databases import fresh

ROOT = Path(__file__).resolve().parents[1]
PORT = 18471
DATABASE = "movelot_start"
WAIT_SECONDS = 180


def _once() -> float:
    """Seconds until the first page answers; the demo is stopped afterwards."""
    keep = {
        key: value for key, value in os.environ.items() if not key.startswith(("MOVELOT_DB", "MOVELOT_REDIS", "DJANGO"))
    }
    env = {**keep, "MOVELOT_PORT": str(PORT), "MOVELOT_STANDIN_PORT": "19643", "MOVELOT_CONTROL_PORT": "19640"}
    env |= {"MOVELOT_DB_NAME": DATABASE, "MOVELOT_STANDIN_FOLDER": str(ROOT / ".run" / "standins-bench")}
    start = time.perf_counter()
    process = subprocess.Popen(
        ["make", "-s", "demo"], cwd=ROOT, env=env, stdout=subprocess.DEVNULL, start_new_session=True
    )
    try:
        while time.perf_counter() - start < WAIT_SECONDS:
            try:
                if urllib.request.urlopen(f"http://127.0.0.1:{PORT}/", timeout=1).status == 200:
                    return time.perf_counter() - start
            except (urllib.error.URLError, OSError):
                time.sleep(0.1)
        raise SystemExit("the demo did not start")
    finally:
        os.killpg(process.pid, signal.SIGINT)
        process.wait(60)


def report() -> None:
    """The second of two starts, on a database of its own."""
    fresh(DATABASE)
    _once()
    print(f"make demo, second start, to the first page: {_once():.1f} s")
