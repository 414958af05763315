"""Eight people at once on the large estate, on the web server as it is shipped: how late answers come, what it keeps.

Each opens a page a second, with the calls that its page makes, and asks for the status each five seconds, as the front
end does. ``python -m bench.load [seconds]`` builds the estate by itself.
"""

from __future__ import annotations

import os
import subprocess
import sys
import threading
import time
from pathlib import Path

import numpy as np
import requests

from bench.server import served

PORT, PEOPLE, SECONDS = 34_910, 8, 60
URL = f"http://127.0.0.1:{PORT}"
PASSWORD = "bench-only-password"
STATUS_SECONDS = 5.0
PAGES = (
    ("rounds/",),
    ("network/reach/", "attach/grants/"),
    ("network/paths/",),
    ("balance/groups/", "balance/groups/quayside/"),
    ("lots/?page_size=50",),
    ("disks/?page_size=50", "find/?q=machine-0123"),
    ("audit/?page_size=50",),
)


def report(seconds: float = SECONDS) -> None:
    """Figures on the estate that ``bench.pages`` has built in this database."""
    from movelot.findings.judging import judge_due

    _make_people()
    # As after any reading.
    judge_due()
    with served(PORT) as server:
        took: list[tuple[str, float]] = []
        errors: list[str] = []
        begun = time.monotonic()
        before = _megabytes(server.pid)
        people = [threading.Thread(target=_person, args=(n, begun + seconds, took, errors)) for n in range(PEOPLE)]
        for each in people:
            each.start()
        kept = [before]
        for _tenth in range(10):
            time.sleep(seconds / 10)
            kept.append(_megabytes(server.pid))
        for each in people:
            each.join()
    milliseconds = [each for _path, each in took]
    p50, p95 = np.percentile(milliseconds, [50, 95])
    print(f"{PEOPLE} people for {seconds:.0f} s: {len(took)} answers, {len(errors)} errors, ", end="")
    print(f"p50 {p50:.0f} ms, p95 {p95:.0f} ms, worst {max(milliseconds):.0f} ms; ", end="")
    print(f"server {', '.join(f'{each:.0f}' for each in kept)} MB, before and after each tenth")
    for path in sorted({path for path, _each in took}):
        own = [each for name, each in took if name == path]
        print(f"  {path:32} p50 {np.percentile(own, 50):5.0f} ms, p95 {np.percentile(own, 95):5.0f} ms")
    for error in errors[:5]:
        print(f"  {error}")


def _make_people() -> None:
    from movelot.accounts.models import Role, User

    for n in range(PEOPLE):
        person, _made = User.objects.get_or_create(username=f"person-{n}", defaults={"role": Role.VIRTUALIZATION})
        person.set_password(PASSWORD)
        person.save()


def _person(number: int, end: float, took: list[tuple[str, float]], errors: list[str]) -> None:
    session = requests.Session()
    token = session.get(f"{URL}/api/session/", timeout=30).json()["csrf"]
    body = {"username": f"person-{number}", "password": PASSWORD}
    session.post(f"{URL}/api/session/", json=body, headers={"X-CSRFToken": token}, timeout=30).raise_for_status()
    page, status_at = number, 0.0
    while (begun := time.monotonic()) < end:
        calls = list(PAGES[page % len(PAGES)])
        if begun - status_at > STATUS_SECONDS:
            status_at = begun
            calls.append("status/")
        for path in calls:
            asked = time.perf_counter()
            answer = session.get(f"{URL}/api/{path}", timeout=30)
            took.append((path, 1000 * (time.perf_counter() - asked)))
            if not answer.ok:
                errors.append(f"{path}: {answer.status_code}")
        page += 1
        time.sleep(max(0.0, 1 - (time.monotonic() - begun)))


def _megabytes(master: int) -> float:
    """Resident memory of the server and its workers."""
    listed = subprocess.run(["pgrep", "-P", str(master)], capture_output=True, text=True, check=False).stdout.split()
    return sum(_resident(pid) for pid in [str(master), *listed])


def _resident(pid: str) -> float:
    for line in Path(f"/proc/{pid}/status").read_text().splitlines():
        if line.startswith("VmRSS"):
            return int(line.split()[1]) / 1024
    return 0.0


if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "movelot.settings")
    os.environ.setdefault("MOVELOT_DB_NAME", "movelot_bench")
    os.environ.setdefault("MOVELOT_REDIS_DB", "13")
    from bench import pages

    pages.report()
    report(float(sys.argv[1]) if len(sys.argv) > 1 else SECONDS)
