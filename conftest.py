"""Fixtures shared by rooms: our MariaDB and Redis, and the stand-ins as a process of their own."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
import requests
from hypothesis import settings

# How long an example takes says more of the machine than of the code: no deadline. And the same cases each time, as a
# run that fails where nothing changed tells nobody what broke; `make explore` looks for new ones.
settings.register_profile("same", deadline=None, derandomize=True)
settings.register_profile("explore", deadline=None, print_blob=True)
settings.load_profile(os.environ.get("MOVELOT_CASES", "same"))
ROOT = Path(__file__).resolve().parent
sys.path.insert(0, str(ROOT / "scripts"))
# Which of pytest's workers this is: each has databases, ports and stand-ins of its own.
WORKER = int(os.environ.get("PYTEST_XDIST_WORKER", "gw0").removeprefix("gw"))
os.environ.setdefault("MOVELOT_DEVICE_TIMEOUT", "2")
# The stand-ins' work is done at once here.
os.environ.setdefault("MOVELOT_LOT_POLL", "0.05")

# Another one where two runs share a machine.
FIRST_PORT = int(os.environ.get("MOVELOT_TEST_PORT", "19440"))
TEST_CONTROL_PORT = FIRST_PORT + 20 * WORKER
TEST_STANDIN_PORT = TEST_CONTROL_PORT + 3
READY_SECONDS = 60


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--without-standins", action="store_true", help="only tests that need no stand-ins")


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Leave out what needs stand-ins, or a database that they were read into, where only the rest is asked for."""
    if config.getoption("--without-standins"):
        left = [item for item in items if "standin_process" in getattr(item, "fixturenames", ())]
        config.hook.pytest_deselected(items=left)
        items[:] = [item for item in items if item not in left]


def pytest_configure() -> None:
    """What has to hold before any test is collected.

    Passwords of tests are hashed quickly: what is slow on purpose would be most of the time of many tests. Static
    files are looked for where a start would have collected them.
    """
    from django.conf import settings as ours

    ours.STATIC_ROOT.mkdir(parents=True, exist_ok=True)
    # Settings are read before this file is: a worker's own Redis has to be put in afterwards.
    redis = f"{ours.REDIS.rsplit('/', 1)[0]}/{15 - 2 * WORKER}"
    ours.CACHES["default"]["LOCATION"] = ours.CELERY_BROKER_URL = redis
    ours.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]


@pytest.fixture(scope="session", autouse=True)
def services() -> None:
    """MariaDB and Redis of our own are up."""
    import services as servers

    servers.start()


class StandIns:
    """The stand-ins as a process, with their control door."""

    def __init__(
        self,
        folder: Path,
        port: int = TEST_STANDIN_PORT,
        control: int = TEST_CONTROL_PORT,
        pace: float = 20000,
        size: str = "small",
    ) -> None:
        self.folder, self.port, self.control_port, self.pace, self.size = folder, port, control, pace, size
        self.process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        env = {
            **os.environ,
            "PYTHONPATH": str(ROOT / "standins"),
            "MOVELOT_STANDIN_FOLDER": str(self.folder),
            "MOVELOT_STANDIN_PORT": str(self.port),
            "MOVELOT_CONTROL_PORT": str(self.control_port),
            "MOVELOT_STANDIN_PACE": str(self.pace),
            "MOVELOT_STANDIN_SIZE": self.size,
            "MOVELOT_STANDIN_QUIET": "1",
        }
        log = (self.folder.parent / "standins.log").open("ab")
        self.process = subprocess.Popen([sys.executable, "-m", "movelot_standins"], env=env, stdout=log, stderr=log)
        log.close()
        until(self._answers, "the stand-ins")

    def _answers(self) -> bool:
        try:
            return requests.get(f"http://127.0.0.1:{self.control_port}/state", timeout=1).ok
        except requests.RequestException:
            return False

    def stop(self) -> None:
        if self.process:
            self.process.terminate()
            self.process.wait(20)

    @property
    def cards(self) -> dict[str, dict[str, str]]:
        return {card["name"]: card for card in json.loads((self.folder / "devices.json").read_text())}

    def control(self, act: str, /, **body: Any) -> dict[str, Any]:
        answer = requests.post(f"http://127.0.0.1:{self.control_port}/{act}", json=body, timeout=10)
        answer.raise_for_status()
        found: dict[str, Any] = answer.json()
        return found

    def fault(self, device: str, kind: str = "", n: int = 1) -> None:
        self.control("fault", device=device, kind=kind, n=n)

    def world(self) -> dict[str, Any]:
        """The state of the outside world as the stand-ins saved it."""
        found: dict[str, Any] = requests.get(f"http://127.0.0.1:{self.control_port}/state", timeout=5).json()
        return found

    def sums(self) -> dict[str, str]:
        """The checksums that the depot of images tells, by file."""
        lines = (self.folder / "depot" / "SHA256SUMS").read_text().splitlines()
        return {name: digest for digest, name in map(str.split, lines)}

    def placement(self) -> dict[str, str]:
        """Datastore of each disk."""
        return {d["id"]: d["places"][-1][1] for m in self.world()["machines"] for d in m["disks"]}


def until(ready: Any, what: str, seconds: float = READY_SECONDS) -> Any:
    """The first true value of ``ready``; fails the test when it takes longer than ``seconds``."""
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline:
        found = ready()
        if found:
            return found
        time.sleep(0.05)
    raise AssertionError(f"waited {seconds} s for {what}")


@pytest.fixture(scope="session")
def standin_size() -> str:
    """Which of the scenario's worlds: the small one has every trouble and figures that a test can be read by."""
    return "small"


@pytest.fixture(scope="session")
def standin_process(tmp_path_factory: pytest.TempPathFactory, standin_size: str) -> Iterator[StandIns]:
    running = StandIns(tmp_path_factory.mktemp("standins") / "site", size=standin_size)
    running.start()
    yield running
    running.stop()


@pytest.fixture
def standins(standin_process: StandIns) -> StandIns:
    """The stand-ins with a world as at their first start, without faults."""
    standin_process.control("reset")
    standin_process.control("pace", pace=standin_process.pace)
    return standin_process
