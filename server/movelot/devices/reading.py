"""Taking readings and telemetry of linked devices."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from itertools import groupby
from operator import itemgetter

from django.conf import settings
from django.db import transaction
from django.utils.timezone import now

from movelot.devices.array import read_array
from movelot.devices.errors import CertificateChanged, DeviceError, DeviceOdd, DeviceRefused
from movelot.devices.host import read_host
from movelot.devices.samples import moment, samples
from movelot.devices.session import DeviceSession, Resource, session_with
from movelot.devices.shape import check_shape, odd
from movelot.inventory.changes import Aspect, Change, outdate_within, tell
from movelot.inventory.models import Device, Pool
from movelot.inventory.store import Taken, store_readings
from movelot.inventory.telemetry import DiskSample, Learned, add_samples, learn

log = logging.getLogger(__name__)
# Threads mostly wait for a device.
AT_ONCE = 16
# The history of more devices would not fit in memory at once.
HISTORIES_AT_ONCE = 8
# What one worker reads at a time and stores in one transaction: many fewer statements than each device's own, and not
# all of a large site in memory.
SHARE = 50
NEVER = datetime.min.replace(tzinfo=UTC)
REPORTS = "/redfish/v1/TelemetryService/MetricReports"


def _ask(session: DeviceSession, device: Device) -> Taken:
    begun, start = now(), time.perf_counter()
    try:
        reading = read_array(session) if device.kind == Device.Kind.ARRAY else read_host(session)
    except KeyError as error:
        raise odd(session.name, str(error.args[0]), "is missing") from error
    except (TypeError, ValueError, AttributeError, LookupError, StopIteration) as error:
        raise odd(session.name, "a value", f"is of another kind than expected ({error})"[:200]) from error
    return Taken(device, reading, begun, time.perf_counter() - start)


def shares() -> list[list[int]]:
    """The primary keys of all devices to be read, in shares for workers: arrays, and each cluster's hosts together.

    What hosts of a cluster tell of is then mostly stored by one worker, and a machine that moved between two of them
    moves in one transaction. What was read longest ago comes first: where there is more to read than workers can, all
    are read less often, and none is left out for good. A device whose certificate changed is left alone until it is
    pinned again.
    """
    asked = Device.objects.exclude(state__in=[Device.State.CERTIFICATE, Device.State.IMPORTED])
    rows = asked.order_by("kind", "cluster_id", "name").values_list("kind", "cluster_id", "read_at", "pk")
    found: list[tuple[datetime, list[int]]] = []
    for _, of_one in groupby(rows, key=itemgetter(0, 1)):
        each = list(of_one)
        for first in range(0, len(each), SHARE):
            some = each[first : first + SHARE]
            oldest = min(read_at or NEVER for _, _, read_at, _ in some)
            found.append((oldest, [key for _, _, _, key in some]))
    return [keys for _, keys in sorted(found)]


Progress = Callable[[str, int, int], None]


def reread(devices: Iterable[Device], progress: Progress | None = None) -> dict[str, DeviceError]:
    """Read ``devices`` side by side and store what they say, arrays first. Returns the error of each that failed.

    ``progress`` is told how many of them have answered; what it raises ends the reading between two devices.

    A device that fails keeps its last reading; its row says why it could not be read. Imported ones are not asked.
    """
    chosen = sorted(
        (device for device in devices if not device.imported), key=lambda device: (device.kind, device.name)
    )
    failed: dict[str, DeviceError] = {}
    told: list[Taken] = []
    with ThreadPoolExecutor(max_workers=AT_ONCE) as threads:
        # Sessions are looked up here, as the threads must not touch the database.
        jobs = [(device, threads.submit(_ask, session_with(device), device)) for device in chosen]
        for n, (device, job) in enumerate(jobs):
            if progress:
                progress(f"reading {device.name}", n, len(jobs))
            try:
                taken = job.result()
                check_shape(device, taken.reading)
            except DeviceError as error:
                failed[device.name] = error
                _mark(device, error)
            else:
                told.append(taken)
            if len(told) == SHARE:
                store_readings(told)
                told = []
    store_readings(told)
    return failed


def _mark(device: Device, error: DeviceError) -> None:
    state = Device.State.AWAY
    if isinstance(error, DeviceRefused):
        state = Device.State.REFUSED
    elif isinstance(error, CertificateChanged):
        state = Device.State.CERTIFICATE
    elif isinstance(error, DeviceOdd):
        state = Device.State.FAULTY
    if (device.state, device.detail) != (state, error.message[:300]):
        log.warning("%s: %s", device.name, error.message)
        change = Change(Aspect.STATE, device.kind, device.pk, device.cluster_id)
        with transaction.atomic():
            # One that was pinned anew meanwhile was read with the pin of before.
            asked = Device.objects.filter(pk=device.pk, fingerprint=device.fingerprint)
            asked.update(state=state, detail=error.message[:300])
            tell([change])
        outdate_within([change])


def collect(devices: Iterable[Device]) -> int:
    """Fetch the metric reports that each device has finished since the last time; learn from them. Returns samples."""
    learned, chosen = Learned(), list(devices)
    with ThreadPoolExecutor(max_workers=HISTORIES_AT_ONCE) as threads:
        for first in range(0, len(chosen), HISTORIES_AT_ONCE):
            some = chosen[first : first + HISTORIES_AT_ONCE]
            jobs = [(each, threads.submit(_reports, session_with(each), each.telemetry_until)) for each in some]
            for device, job in jobs:
                try:
                    learned.add(_keep(device, job.result()))
                except DeviceError as error:
                    _mark(device, error)
                except (LookupError, TypeError, ValueError) as error:
                    _mark(device, odd(device.name, "a metric", f"cannot be read ({error})"[:200]))
    if learned.samples:
        learn(learned, now())
    return learned.samples


def _reports(session: DeviceSession, until: datetime | None) -> list[Resource]:
    """Metric values of the days since ``until`` that are newer; of the last weeks where nothing is known yet."""
    today = datetime.now(UTC)
    since = until or today - timedelta(days=settings.TELEMETRY_DAYS - 1)
    found: list[Resource] = []
    for offset in range((today.date() - since.date()).days + 1):
        day = (since + timedelta(days=offset)).date()
        values = session.get(f"{REPORTS}/{day:%Y-%m-%d}")["MetricValues"]
        found += [value for value in values if until is None or moment(value) > until]
    return found


def _keep(device: Device, values: list[Resource]) -> Learned:
    if not values:
        return Learned()
    pools = dict(Pool.known.filter(device=device).values_list("uri", "pk"))
    learned = add_samples(*samples(values, pools))
    if learned.samples:
        Device.objects.filter(pk=device.pk).update(telemetry_until=max(moment(value) for value in values))
    return learned


def latency_now(array: Device) -> dict[int, float]:
    """Response time of each of the array's pools at this moment, ms by the pool's primary key."""
    values = session_with(array).get(f"{REPORTS}/now")["MetricValues"]
    pools = dict(Pool.objects.filter(device=array).values_list("uri", "pk"))
    told = ((str(v["MetricProperty"]), float(v["MetricValue"])) for v in values if v["MetricId"] == "ResponseTimeMs")
    return {pools[uri]: latency for uri, latency in told if uri in pools}


def load_now(host: Device) -> list[DiskSample]:
    """Load of each disk of the host's machines at this moment."""
    return samples(session_with(host).get(f"{REPORTS}/now")["MetricValues"], {})[0]
