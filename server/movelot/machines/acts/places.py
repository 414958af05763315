"""Datastores that may take what a machine lies on: mounted where it has to be, serving the policy, with room."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, field

from movelot.inventory.models import Datastore, Device, Mount, PolicyPlace
from movelot_core.placement.requirements.base import Answer
from movelot_core.units import count_of, format_size


@dataclass
class Candidates:
    """Datastores that all of ``hosts`` mount, with the bytes free on each; what is put there is taken off.

    ``served`` are those that serve a policy, as far as it was asked for.
    """

    stores: list[Datastore]
    free_bytes: dict[int, int]
    hosts: str
    served: dict[int, set[int]] = field(default_factory=dict)

    @classmethod
    def mounted_by(cls, hosts: Collection[Device]) -> Candidates:
        """Those that each of the hosts mounts, by name."""
        names = ", ".join(sorted(host.name for host in hosts))
        mounted: dict[int, set[int]] = {}
        for store, host in Mount.objects.filter(host__in=hosts).values_list("datastore_id", "host_id"):
            mounted.setdefault(store, set()).add(host)
        keys = [store for store, there in mounted.items() if len(there) == len(hosts)]
        rows = Datastore.objects.filter(pk__in=keys).select_related("membership__group").prefetch_related("extents")
        stores = list(rows.order_by("name", "pk"))
        return cls(stores, {store.pk: _below_ceiling(store) for store in stores}, names)

    def take(self, size_bytes: int, policy: int | None, leave: Collection[int] = ()) -> Datastore | None:
        """The one with most room that serves the policy and has room, none of ``leave``; it has so much less then."""
        serving = self.serving(policy)
        fitting = [
            store
            for store in self.stores
            if store.pk not in leave and store.pk in serving and self.free_bytes[store.pk] >= size_bytes
        ]
        best = max(fitting, key=lambda store: self.free_bytes[store.pk], default=None)
        if best is not None:
            self.free_bytes[best.pk] -= size_bytes
        return best

    def why_none(self, size_bytes: int, policy: int | None) -> str:
        """Why none takes it, in a sentence."""
        if not self.stores:
            return f"No datastore is mounted by {self.hosts}."
        serving = [store for store in self.stores if store.pk in self.serving(policy)]
        if not serving:
            return f"None of the {count_of(len(self.stores), 'datastore')} mounted by {self.hosts} serves its policy."
        best = max(serving, key=lambda store: self.free_bytes[store.pk])
        free = format_size(max(0, self.free_bytes[best.pk]))
        return f"{best.name} has most room below its ceiling, {free}; {format_size(size_bytes)} are needed."

    def serving(self, policy: int | None) -> set[int]:
        """Primary keys of those that serve a policy; of all without one."""
        if policy is None:
            return {store.pk for store in self.stores}
        if policy not in self.served:
            rows = PolicyPlace.objects.filter(policy=policy, answer=Answer.HAS, datastore__in=self.stores)
            self.served[policy] = set(rows.values_list("datastore_id", flat=True))
        return self.served[policy]


def _below_ceiling(store: Datastore) -> int:
    """Bytes free below the fill ceiling of its group; all that is free where it is in none."""
    membership = getattr(store, "membership", None)
    if membership is None:
        return store.free_bytes
    ceiling = int(store.capacity_bytes * membership.group.fill_ceiling)
    return ceiling - (store.capacity_bytes - store.free_bytes)
