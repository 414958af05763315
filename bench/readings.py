"""Readings of 400 simulated hosts by one worker and by two, and what becomes of their rhythm when one is killed.

The workers are processes of their own with nothing in common but settings, as on two machines. Devices answer as late
as real ones do, as a worker mostly waits for them; what all processes here share is two cores.
"""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from bench.sites import fresh_site

ROOT = Path(__file__).resolve().parents[1]
ROUNDS = 4
LATE_MS = 50
READY_SECONDS = 60.0


def report() -> None:
    with fresh_site(size="wide") as standins:
        devices = _devices(standins.cards)
        for name in standins.cards:
            standins.fault(name, "slow", LATE_MS)
        print(f"every answer of a device comes {LATE_MS} ms late")
        with _workers("judge", queues="judging,heavy"):
            _flat_out(devices, 1)
            _flat_out(devices, 2)
            _in_rhythm(devices)


def _devices(cards: dict[str, dict[str, str]]) -> int:
    """Store all links; their first reading is the workers'. Returns how many."""
    from movelot.devices.certificate import fingerprint_of
    from movelot.devices.sealing import seal
    from movelot.inventory.models import Device

    for name, card in cards.items():
        pem = Path(card["certificate"]).read_text()
        Device.objects.create(
            name=name,
            kind=card["kind"],
            url=card["url"],
            user=card["user"],
            sealed_password=seal(card["password"]),
            certificate_pem=pem,
            fingerprint=fingerprint_of(pem),
        )
    return len(cards)


@contextmanager
def _workers(*names: str, queues: str = "readings", beat: bool = False) -> Iterator[list[subprocess.Popen[bytes]]]:
    """Workers of these names, each ready to work."""
    path = os.pathsep.join(str(ROOT / room) for room in ("core", "server"))
    env = {**os.environ, "PYTHONPATH": path, "MOVELOT_DEVICE_TIMEOUT": "8", "PYTHONWARNINGS": "ignore"}
    command = [str(Path(sys.executable).parent / "celery"), "--quiet", "--app", "movelot", "worker"]
    shape = ["--pool", "threads", "--concurrency", "5", "--without-mingle", "--loglevel", "ERROR"]
    running = []
    for name in names:
        more = ["--hostname", f"{name}@bench", "--queues", queues, *(["--beat"] if beat and name == names[0] else [])]
        started = subprocess.Popen([*command, *shape, *more], env=env, cwd=ROOT / "server", start_new_session=True)
        running.append(started)
    try:
        _until(lambda: _answering() >= {f"{name}@bench" for name in names}, "the workers")
        yield running
    finally:
        for process in running:
            if process.poll() is None:
                os.killpg(process.pid, signal.SIGKILL)
                process.wait()


def _answering() -> set[str]:
    from movelot.celery import app

    return {name for each in app.control.ping(timeout=1.0) for name in each}


def _until(ready: Any, what: str, seconds: float = READY_SECONDS) -> None:
    deadline = time.monotonic() + seconds
    while not ready():
        if time.monotonic() > deadline:
            raise RuntimeError(f"waited {seconds:.0f} s for {what}")
        time.sleep(0.1)


def _flat_out(devices: int, count: int) -> None:
    """Devices that ``count`` workers read a second: one round to sign in, then the faster of two."""
    from django.utils.timezone import now

    from movelot.devices.reading import shares
    from movelot.devices.tasks import read_share
    from movelot.inventory.models import Device, Reading

    def all_read(since: datetime) -> bool:
        told = Reading.objects.filter(taken_at__gte=since).count()
        return told + Device.objects.exclude(state=Device.State.LINKED).count() >= devices

    times = []
    with _workers(*(f"reads-{n}" for n in range(count))):
        for _ in range(3):
            since, start = now(), time.perf_counter()
            for share in shares():
                read_share.delay(share)
            _until(partial(all_read, since), "a round of readings", 120)
            times.append(time.perf_counter() - start)
    first, rest = times[0], min(times[1:])
    print(f"{devices} devices, {count} reading worker{'s' * (count > 1)}: first round {first:.1f} s, ", end="")
    print(f"then {rest:.1f} s, {devices / rest:.0f} devices a second")


def _in_rhythm(devices: int) -> None:
    """Seconds between two readings of a device: with two workers, and after one of them was killed in its middle."""
    from django.conf import settings
    from django.utils.timezone import now

    period = settings.READING_SECONDS
    with _workers("beats", "reads", beat=True) as (_, second):
        time.sleep(period)
        begun = now()
        time.sleep(ROUNDS * period)
        _gaps(f"every {period} s by two workers", begun)
        begun = now()
        _until(_is_reading, "a share that is being read", period + 5)
        os.killpg(second.pid, signal.SIGKILL)
        time.sleep(2 * period)
        alone = now()
        time.sleep(ROUNDS * period)
        _gaps("one of them killed while it read", begun)
        _gaps("the other alone, from the second round after that", alone)


def _is_reading() -> bool:
    from movelot.celery import app

    active = app.control.inspect(["reads@bench"], timeout=0.5).active() or {}
    return any(active.values())


def _gaps(what: str, begun: Any) -> None:
    from movelot.inventory.models import Reading

    times: dict[int, list[float]] = {}
    for device, at in Reading.objects.filter(taken_at__gte=begun).values_list("device_id", "taken_at"):
        times.setdefault(device, []).append(at.timestamp())
    gaps = np.concatenate([np.diff(sorted(each)) for each in times.values()])
    p50, p95 = np.percentile(gaps, [50, 95])
    print(f"{what}: {len(times)} devices, {p50:.1f} s between two readings, p95 {p95:.1f}, longest {gaps.max():.1f} s")
