"""Metric values of devices as samples: of disks, pools, datastores, and the tiers of pools."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, datetime

from movelot.devices.session import Resource
from movelot.inventory.telemetry import DiskSample, PoolSample, PoolUse, TierUse, UseSample

# What an array tells of each tier of a pool and day, and where in the pool's own resource that tier is found.
TIER_METRICS = {"TierConsumedBytes": "used_bytes", "TierMovedInBytes": "moved_in_bytes"}
TIER_PATH = "#/Oem/Kestrel/Tiers/"
OF_OTHERS = {"ResponseTimeMs", "ConsumedBytes", "UsedBytes", *TIER_METRICS}
Samples = tuple[list[DiskSample], list[PoolSample], list[UseSample], list[PoolUse | TierUse]]


def moment(value: Resource) -> datetime:
    return datetime.fromisoformat(value["Timestamp"])


def samples(values: Sequence[Resource], pools_by_uri: Mapping[str, int]) -> Samples:
    """Metric values as samples; those of pools that are not in ``pools_by_uri`` are left out."""
    pools: list[PoolSample] = []
    uses: list[UseSample] = []
    pool_uses: list[PoolUse | TierUse] = []
    for value in values:
        when, subject, number = moment(value), str(value["MetricProperty"]), float(value["MetricValue"])
        if value["MetricId"] == "UsedBytes":
            uses.append(UseSample(subject.rsplit("/", 1)[1], when.date(), int(number)))
        elif subject not in pools_by_uri:
            continue
        elif value["MetricId"] == "ResponseTimeMs":
            pools.append(PoolSample(pools_by_uri[subject], when, number))
        elif value["MetricId"] == "ConsumedBytes":
            pool_uses.append(PoolUse(pools_by_uri[subject], when.date(), int(number)))
    return _of_disks(values), pools, uses, [*pool_uses, *_of_tiers(values, pools_by_uri)]


def _of_disks(values: Sequence[Resource]) -> list[DiskSample]:
    """The three values of a disk's hour are one sample."""
    disks: dict[tuple[str, datetime], dict[str, float]] = {}
    for value in values:
        if value["MetricId"] not in OF_OTHERS:
            key = str(value["MetricProperty"]).rsplit("/", 1)[1], moment(value)
            disks.setdefault(key, {})[value["MetricId"]] = float(value["MetricValue"])
    return [
        DiskSample(identity, when, each.get("ReadIops", 0), each.get("WriteIops", 0), each.get("IoKiB", 8))
        for (identity, when), each in disks.items()
    ]


def _of_tiers(values: Sequence[Resource], pools_by_uri: Mapping[str, int]) -> list[TierUse]:
    """Both values of a tier's day are one sample; half of one is none."""
    told: dict[tuple[int, date, int], dict[str, int]] = {}
    for value in values:
        figure = TIER_METRICS.get(value["MetricId"])
        pool, _, tier = str(value["MetricProperty"]).partition(TIER_PATH)
        if figure and pool in pools_by_uri and tier.isdecimal():
            key = pools_by_uri[pool], moment(value).date(), int(tier)
            told.setdefault(key, {})[figure] = int(float(value["MetricValue"]))
    return [
        TierUse(*key, used_bytes=each["used_bytes"], moved_in_bytes=each["moved_in_bytes"])
        for key, each in told.items()
        if len(each) == len(TIER_METRICS)
    ]
