"""The whole product as a user has it: web, worker and schedule as processes, real stand-ins, a browser at 1280x800."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
import requests
from playwright.sync_api import Page, expect

import processes
from conftest import FIRST_PORT, ROOT, WORKER, StandIns, until

# Beside the ports of the stand-ins, which have the twenty from there on.
PORT = FIRST_PORT - 20 + WORKER
URL = f"http://127.0.0.1:{PORT}"
DATABASE = f"movelot_e2e_{WORKER}"
REDIS_DB = str(14 - 2 * WORKER)
BIN = Path(sys.executable).parent
PACE = 400.0
START_SECONDS = 180
CHROMIUM = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


class Stack:
    """The product's processes."""

    def __init__(self, folder: Path, standins: StandIns) -> None:
        self.folder, self.standins = folder, standins
        self.people: dict[str, str] = {}
        self.processes: dict[str, subprocess.Popen[bytes]] = {}

    @property
    def env(self) -> dict[str, str]:
        path = os.pathsep.join(str(ROOT / room) for room in ("core", "server"))
        return {
            **os.environ,
            "PYTHONPATH": path,
            "DJANGO_SETTINGS_MODULE": "movelot.settings",
            "MOVELOT_DB_NAME": DATABASE,
            "MOVELOT_REDIS_DB": REDIS_DB,
            "MOVELOT_PORT": str(PORT),
            "MOVELOT_DEVICE_TIMEOUT": "4",
            "MOVELOT_AWAY_PATIENCE": "3",
            # Eight days have every hour of a week, and teach the curves as much in a quarter of the time.
            "MOVELOT_TELEMETRY_DAYS": os.environ.get("MOVELOT_TELEMETRY_DAYS", "8"),
        }

    def manage(self, *words: str) -> str:
        command = [sys.executable, str(ROOT / "server" / "manage.py"), *words]
        done = subprocess.run(command, env=self.env, capture_output=True, text=True, check=False)
        assert done.returncode == 0, done.stderr
        return done.stdout

    def prepare(self) -> None:
        import services

        socket = services.RUN / "mariadb.sock"
        fresh = f"DROP DATABASE IF EXISTS {DATABASE}; CREATE DATABASE {DATABASE} CHARACTER SET utf8mb4;"
        subprocess.run(["mariadb", "--no-defaults", f"--socket={socket}"], input=fresh, text=True, check=True)
        subprocess.run(
            ["redis-cli", "--no-auth-warning", "-p", str(services.REDIS_PORT), "-n", REDIS_DB, "flushdb"],
            env={**os.environ, "REDISCLI_AUTH": services.key("redis")},
            check=True,
            capture_output=True,
        )
        # As after a reset of the demo.
        (services.RUN / f"pulse-{DATABASE}").unlink(missing_ok=True)
        self.manage("prepare")
        self.manage("add_people")
        self.people = json.loads((services.RUN / "keys" / "people.json").read_text())
        self.manage("link_standins", str(self.standins.folder / "devices.json"))
        self.manage("add_depot", str(self.standins.folder / "depot.json"))

    def spawn(self, name: str, *command: str) -> None:
        log = (self.folder / f"{name}.log").open("ab")
        self.processes[name] = subprocess.Popen(
            [str(BIN / command[0]), *command[1:]],
            env=self.env,
            cwd=ROOT / "server",
            stdout=log,
            stderr=log,
            start_new_session=True,
        )
        log.close()

    def output(self, *command: str) -> str:
        """What a command of ours says; empty where it fails."""
        words = [str(BIN / command[0]), *command[1:]]
        return subprocess.run(
            words, env=self.env, cwd=ROOT / "server", capture_output=True, text=True, check=False
        ).stdout

    def start_workers(self) -> None:
        for name in processes.WORKERS:
            self.spawn(f"worker-{name}", *processes.worker_command(name))

    def start(self) -> None:
        self.spawn("web", "gunicorn", "movelot.wsgi", "--bind", f"127.0.0.1:{PORT}", "--threads", "4")
        # What the first answer loads takes longest: the others start once that is done.
        until(self.answers, "the web server", START_SECONDS)
        self.start_workers()
        self.spawn("schedule", *processes.schedule_command())

    def answers(self) -> bool:
        try:
            return requests.get(f"{URL}/api/session/", timeout=2).ok
        except requests.RequestException:
            return False

    def kill(self, name: str) -> None:
        """SIGKILL to the process and all its children, as a power cut would."""
        process = self.processes.pop(name)
        os.killpg(process.pid, signal.SIGKILL)
        process.wait(10)

    def kill_workers(self) -> None:
        for name in processes.WORKERS:
            self.kill(f"worker-{name}")

    def stop(self) -> None:
        for name in list(self.processes):
            self.kill(name)


class Caller:
    """The API as a signed-in person's program would use it."""

    def __init__(self, stack: Stack, name: str = "ines.marrow") -> None:
        self.session = requests.Session()
        # A connection kept open is closed by the server after a while, perhaps just as a call is sent over it.
        self.session.headers["Connection"] = "close"
        self.call("GET", "session/")
        answer = self.call("POST", "session/", {"username": name, "password": stack.people[name]})
        assert answer.ok, answer.text

    def call(self, method: str, path: str, body: Any = None) -> requests.Response:
        headers = {"X-CSRFToken": self.session.cookies.get("csrftoken") or "", "Referer": URL}
        answer = self.session.request(method, f"{URL}/api/{path}", json=body, headers=headers, timeout=30)
        return self._followed(answer.json()["id"], answer) if answer.status_code == 202 else answer

    def _followed(self, job: int, answer: requests.Response) -> requests.Response:
        """The answer once its job has ended; a job that failed is the refusal that it would have been."""
        until(lambda: self.call("GET", f"jobs/{job}/").json()["ended_at"], f"job {job}")
        ended = self.call("GET", f"jobs/{job}/").json()
        problem = ended["problem"]
        if ended["kind"] == "draft" and not problem:
            return self.call("GET", f"lots/{ended['result']['lot']}/")
        if problem:
            answer.status_code, answer._content = problem["status"], json.dumps(problem).encode()
        return answer

    def lot(self, number: int) -> dict[str, Any]:
        found: dict[str, Any] = self.call("GET", f"lots/{number}/").json()
        return found

    def ended(self, number: int, seconds: float = 60) -> str:
        """The lot's state once the worker is done with it."""
        until(lambda: self.lot(number)["summary"]["state"] not in ("running", "halting"), f"lot {number}", seconds)
        return str(self.lot(number)["summary"]["state"])


@pytest.fixture(scope="session")
def standin_size() -> str:
    """The browser meets what the demo shows: all of it."""
    return "demo"


@pytest.fixture(scope="session")
def stack(standin_process: StandIns, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Stack]:
    standin_process.control("reset")
    running = Stack(tmp_path_factory.mktemp("stack"), standin_process)
    running.prepare()
    running.start()
    yield running
    running.stop()


@pytest.fixture(scope="session")
def caller(stack: Stack) -> Caller:
    """Ines, signed in once."""
    return Caller(stack)


@pytest.fixture(scope="session")
def first_groups(caller: Caller) -> dict[str, set[str]]:
    """The datastores of the balance groups that came with the clusters, once these are read."""
    assert caller.call("POST", "devices/reread/").ok
    found = {group["name"]: set(_datastores(group)) for group in _members(caller)["groups"]}
    assert found
    return found


@pytest.fixture
def fresh(stack: Stack, standins: StandIns, caller: Caller, first_groups: dict[str, set[str]]) -> Stack:
    """The stack on a world as at its first start, read anew, at a pace at which copies can be watched.

    Groups are not the devices': what a test took out of one is put back here.
    """
    standins.control("pace", pace=PACE)
    assert caller.call("POST", "devices/reread/").ok
    _put_back(caller, first_groups)
    return stack


def _put_back(caller: Caller, first: dict[str, set[str]]) -> None:
    """Give groups the datastores that they had at first and that are in no group, or in another one, now."""
    now = _members(caller)
    everywhere = {store["name"]: store["id"] for store in now["alone"]}
    for group in now["groups"]:
        everywhere |= _datastores(group)
    for group in now["groups"]:
        there = _datastores(group)
        taken_out = (first.get(group["name"], set()) - set(there)) & set(everywhere)
        if taken_out:
            datastores = [*there.values(), *(everywhere[name] for name in taken_out)]
            form = {"name": group["name"], "joins": group["joins"], "datastores": datastores}
            assert caller.call("PUT", f"balance/groups/{group['name']}/members/", form).ok


def _members(caller: Caller) -> dict[str, Any]:
    found: dict[str, Any] = caller.call("GET", "balance/members/").json()
    return found


def _datastores(group: dict[str, Any]) -> dict[str, int]:
    return {store["name"]: store["id"] for part in group["parts"] for store in part["datastores"]}


@pytest.fixture(scope="session")
def browser_type_launch_args(browser_type_launch_args: dict[str, Any]) -> dict[str, Any]:
    return {**browser_type_launch_args, "executable_path": "/usr/bin/chromium", "args": CHROMIUM}


@pytest.fixture(scope="session")
def browser_context_args(browser_context_args: dict[str, Any]) -> dict[str, Any]:
    return {**browser_context_args, "viewport": {"width": 1280, "height": 800}, "base_url": URL}


@pytest.fixture
def ines(page: Page, fresh: Stack, caller: Caller) -> Page:
    """The product open in the browser of ines, who signed in before."""
    expect.set_options(timeout=45_000)
    page.set_default_timeout(45_000)
    cookies = [{"name": c.name, "value": c.value or "", "url": URL} for c in caller.session.cookies]
    page.context.add_cookies(cookies)  # type: ignore[arg-type]
    page.goto("/")
    expect(page.get_by_role("heading", name="Rounds")).to_be_visible()
    return page


def sign_in(page: Page, stack: Stack, name: str) -> Page:
    page.goto("/")
    page.get_by_label("Name").fill(name)
    page.get_by_label("Password").fill(stack.people[name])
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("heading", name="Rounds")).to_be_visible()
    return page


@pytest.fixture
def chalk_one(fresh: Stack) -> Iterator[Callable[[], None]]:
    """Grants chalk-one as storage would, when called; whoever granted it, it is withdrawn afterwards."""
    storage = Caller(fresh, "tobias.wren")
    pools = {row["name"]: row["pool"] for row in storage.call("GET", "attach/grants/").json()}
    path = f"attach/grants/{pools['chalk-one']}/"

    def grant() -> None:
        assert storage.call("PUT", path, {"quota": ""}).ok

    yield grant
    assert storage.call("DELETE", path).ok
