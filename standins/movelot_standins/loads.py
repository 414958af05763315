"""What virtual disks ask for, hour by hour: a pure function of seed, disk and time, so that history needs no file."""

from __future__ import annotations

import hashlib
import math
from datetime import UTC, datetime

import numpy as np
from numpy.typing import NDArray

from movelot_standins.model import Datastore, Disk

Floats = NDArray[np.float64]
NOISE = 0.05
TREND_PER_DAY = 0.001
HOUR_SECONDS = 3600


def bump(hours: Floats, centre: float, width: float) -> Floats:
    """A rise around ``centre`` o'clock, wrapping at midnight."""
    distance = np.abs((hours - centre + 12) % 24 - 12)
    return np.asarray(np.exp(-0.5 * (distance / width) ** 2))


def shape(name: str, hours: Floats, weekday: int) -> Floats:
    """Share of its full load that a disk of this kind has at ``hours`` of a ``weekday`` (0 Monday)."""
    work = weekday < 5
    quiet = 1.0 if work else 0.35
    match name:
        case "trucks":
            share = 0.12 + 0.88 * quiet * np.clip(bump(hours, 10, 2.6) + 0.85 * bump(hours, 15, 2.4), 0, 1)
        case "plan":
            share = 0.10 + 0.90 * quiet * np.clip(bump(hours, 10, 2.4) + 0.80 * bump(hours, 15, 2.2), 0, 1)
        case "night":
            share = 0.06 + 0.94 * np.clip(bump(hours, 1, 2) + bump(hours, 4, 1.5), 0, 1)
        case "steady":
            share = 0.92 + 0.08 * bump(hours, 13, 5)
        case "friday":
            share = 0.20 + (0.80 if weekday == 4 else 0.35) * bump(hours, 18.5, 2.2)
        case "office":
            share = 0.08 + 0.92 * quiet * bump(hours, 9, 3.5)
        case _:
            raise LookupError(f"there is no kind of load {name}")
    return np.asarray(share)


def day_load(disk: Disk, number: int, seed: int, day: int) -> Floats:
    """[2, 24] read and write IOPS that ``disk`` got on ``day`` (days since 1970, UTC), with its noise and trend."""
    asked = _asked(disk, number, seed, day)
    if disk.limits:
        caps = [disk.limits_at(day * 86400 + (hour + 0.5) * HOUR_SECONDS)[0] for hour in range(24)]
        asked = np.stack([_capped(asked[:, hour], cap) for hour, cap in enumerate(caps)], axis=1)
    return asked


def _asked(disk: Disk, number: int, seed: int, day: int) -> Floats:
    hours: Floats = np.arange(24, dtype=np.float64)
    weekday = datetime.fromtimestamp(day * 86400, UTC).weekday()
    noise = np.random.default_rng([seed, number, day]).normal(1.0, NOISE, 24)
    growth = 1 + TREND_PER_DAY * (day % 30)
    scale = shape(disk.shape, hours, weekday) * np.clip(noise, 0.7, 1.3) * growth
    return np.stack([disk.read_iops * scale, disk.write_iops * scale])


def _capped(asked: Floats, cap: int) -> Floats:
    """What a disk gets of the reads and writes that it asks for: both shrink alike under a cap; 0 is none."""
    total = float(asked.sum())
    return asked * (cap / total) if 0 < cap < total else asked


def load_at(disk: Disk, number: int, seed: int, when: float) -> tuple[float, float]:
    """Read and write IOPS of ``disk`` at ``when`` (epoch seconds)."""
    day, rest = divmod(when, 86400)
    hour = int(rest // HOUR_SECONDS)
    read, write = _capped(_asked(disk, number, seed, int(day))[:, hour], disk.limits_at(when)[0])
    return float(read), float(write)


def ripple(store: Datastore, day: int, seed: int) -> int:
    """Bytes by which a datastore's use is off its course on a day: the pattern of a week, and chance."""
    number = int.from_bytes(hashlib.blake2b(f"{seed} {store.id} {day}".encode(), digest_size=4).digest(), "big")
    chance = number / 2**31 - 1
    return int(store.growth_bytes * (0.8 * math.sin(2 * math.pi * day / 7) + 0.9 * chance))


def grown_since(store: Datastore, day: int, today: int, seed: int) -> int:
    """Bytes by which a datastore's use has grown from the start of a day until now.

    It went up and down on the way: more within a week than is left of it at its end.
    """
    return (today - day) * store.growth_bytes - ripple(store, day, seed) + ripple(store, today, seed)
