"""What the disks of a pool ask of it hour by hour, whichever groups they are in, and the caps that would be fair."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from movelot.inventory.curves import curve_of
from movelot.inventory.known_groups import SLOTS, coincidence_of, features_of
from movelot.inventory.models import Compliance, Disk, Policy, Pool
from movelot.inventory.placement import stores_on
from movelot.placement.headroom import latency_ceiling
from movelot.placement.policies import asked_by
from movelot_core.balance.caps import FairCaps, fair_caps
from movelot_core.latency import Floats, ServiceCurve, load

# A load over what a pool bears by a smaller share of it is a rounding.
OVER_MARGIN = 1e-6


@dataclass(frozen=True)
class PoolDemands:
    """The disks on a pool's datastores, and what each asks for at every hour of a weekday and a weekend.

    ``iops`` and ``load`` are [d, 48], ``floor_iops`` [d] what its policy or somebody guarantees to each. Those that are
    ``capable`` [d] can be capped; what others ask for has to be borne.
    """

    pool: Pool
    curve: ServiceCurve
    ceiling_ms: float
    disks: list[Disk]
    iops: Floats
    load: Floats
    floor_iops: Floats
    capable: np.ndarray

    @property
    def asked(self) -> Floats:
        """[48] The load of all together."""
        return np.asarray(self.load.sum(axis=0))

    @property
    def bearable(self) -> float:
        """The load at which its curve reaches the ceiling, known so far or not: this load is there already."""
        return self.curve.load_at(self.ceiling_ms)

    def hours_over(self, load: Floats) -> int:
        """At how many of the 48 hours such a load is more than the pool bears."""
        return int((load > self.bearable * (1 + OVER_MARGIN)).sum())

    @property
    def worst_hour(self) -> int:
        return int(self.asked.argmax())

    @cached_property
    def caps(self) -> FairCaps:
        """The caps that keep the pool within its ceiling; infinite for those who are not capped."""
        can = self.capable
        rest = np.full(SLOTS, self.bearable) - self.load[~can].sum(axis=0)
        found = fair_caps(self.load[can], self.iops[can], rest, floor_iops=self.floor_iops[can])
        cap, after = np.full(len(can), np.inf), self.load.copy()
        cap[can], after[can] = found.cap_iops, found.load
        return FairCaps(cap, after, found.level, found.left_over)


def demands_of(pool: Pool) -> PoolDemands:
    """What is known of a pool's disks."""
    rows = Disk.objects.filter(placement__datastore__in=stores_on(pool.pk)).select_related(
        "machine__placement__host", "placement__datastore"
    )
    disks = list(rows.order_by("name", "pk"))
    curve, profiles = curve_of(pool), [(bytes(disk.weekday_profile), bytes(disk.weekend_profile)) for disk in disks]
    parts = features_of(profiles)
    told = _guaranteed(disks)
    return PoolDemands(
        pool=pool,
        curve=curve,
        ceiling_ms=latency_ceiling(pool),
        disks=disks,
        iops=parts[:2].sum(axis=0),
        load=load(parts * coincidence_of([pool])[0], curve),
        floor_iops=np.array([max(disk.floor_iops or 0, told.get(disk.pk, 0)) for disk in disks], dtype=float),
        capable=np.array([disk.cap_iops is not None and not disk.raw_serial for disk in disks], dtype=bool),
    )


def _guaranteed(disks: list[Disk]) -> dict[int, int]:
    """The floor that a disk's policy asks for, by primary key, where it asks for one."""
    had = dict(Compliance.objects.filter(disk__in=disks, policy__isnull=False).values_list("disk_id", "policy_id"))
    policies = Policy.objects.filter(pk__in=set(had.values()), retired_at=None).prefetch_related("versions")
    floors = {policy.pk: asked_by(policy).limits()[1] for policy in policies}
    return {disk: floors[policy] for disk, policy in had.items() if floors.get(policy)}
