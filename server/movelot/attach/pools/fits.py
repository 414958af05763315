"""Pools as an attach form shows them: what is free and granted, and whether a new volume fits."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.attach.form import ReadForm
from movelot.attach.pools.group_figures import group_figures
from movelot.inventory.models import Cluster, Device, HostPort, Pool, Portal
from movelot.inventory.sentences import fit_text, made_of
from movelot.lots.kinds import Claim
from movelot.lots.models import Lot
from movelot.placement.grants import promised_bytes, quota_left
from movelot_core.attach import PoolFigures, PoolFit, Verdict, rank_pools
from movelot_core.fabric.paths import network_of

Fits = list[tuple[Pool, PoolFit]]
# By the pool's primary key: two arrays may have pools of one name.
Figures = dict[int, tuple[Pool, PoolFigures]]


@dataclass
class PoolRow:
    """A pool with its fit: fits, tight or refused. ``quota_left_bytes`` is null where the whole pool is granted."""

    id: int
    name: str
    array: str
    capacity_bytes: int
    allocated_bytes: int
    free_bytes: int
    subscription_after: float
    quota_left_bytes: int | None
    reduces: list[str]
    tiered: bool
    made_of: str
    verdict: str
    text: str


@dataclass
class PlannedVolume(Claim):
    """A volume that a lot makes, with the name of its pool."""

    pool: str


def figures_of(cluster: Cluster | None, lot: Lot, protocols: tuple[str, ...]) -> Figures:
    """Every pool of the arrays that speak one of ``protocols``: its latency at the peak hour, what is granted and left.

    Imported hosts and linked arrays do not meet: what serves one of them cannot be carried out on the other.
    """
    group = getattr(cluster, "group", None)
    peaks = group_figures(group).peak_ms if group else {}
    promised = promised_bytes(lot)
    ports = HostPort.objects.filter(protocol__in=protocols, device__cluster=cluster)
    reached = _arrays_reached(set(ports.values_list("protocol", "network")))
    imported = Device.objects.filter(cluster=cluster, state=Device.State.IMPORTED).exists()
    pools = Pool.objects.filter(device__portals__protocol__in=protocols).select_related("device", "grant").distinct()
    return {
        pool.pk: (
            pool,
            PoolFigures(
                pool.pk,
                pool.capacity_bytes,
                pool.allocated_bytes,
                pool.subscribed_bytes,
                peaks.get(pool.pk),
                reaches_hosts=pool.device_id in reached,
                online=pool.device.known_well,
                granted=hasattr(pool, "grant"),
                quota_left_bytes=quota_left(pool, promised),
                reduces=frozenset(pool.reduces),
                tiered=bool(pool.tiers),
            ),
        )
        for pool in pools
        if pool.device.imported == imported
    }


def _arrays_reached(ports: set[tuple[str, str]]) -> set[int]:
    """Arrays with a portal in the subnet of one of the ports, given as protocol and address, for the same protocol."""
    met = {(protocol, network_of(network)) for protocol, network in ports}
    portals = Portal.objects.values_list("device_id", "protocol", "network")
    return {array for array, protocol, network in portals if (protocol, network_of(network)) in met}


def ceiling_of(cluster: Cluster | None) -> float:
    group = getattr(cluster, "group", None)
    return float(group.latency_ceiling_ms) if group else 9.0


def fits_of(cluster: Cluster | None, meant: ReadForm, figures: Figures) -> Fits:
    """Every pool with its fit for one of the volumes, best first."""
    judged = [figure for _, figure in figures.values()]
    ranked = rank_pools(judged, meant.size_bytes or 0, meant.thin, ceiling_of(cluster), meant.reduced, meant.tiering)
    return [(figures[fit.pool][0], fit) for fit in ranked]


def pool_row(pool: Pool, fit: PoolFit, figures: Figures, count: int = 1) -> PoolRow:
    """A pool as the form shows it. Of ``count`` volumes it may get one only: it is judged for that, and says so."""
    text = fit_text(fit)
    return PoolRow(
        pool.pk,
        pool.name,
        pool.device.name,
        pool.capacity_bytes,
        pool.allocated_bytes,
        max(0, pool.capacity_bytes - pool.allocated_bytes),
        fit.subscription_after,
        figures[pool.pk][1].quota_left_bytes,
        list(pool.reduces),
        bool(pool.tiers),
        made_of(pool),
        fit.verdict,
        f"for one of {count}: {text}" if count > 1 and fit.verdict == Verdict.REFUSED else text,
    )


def pools_named(names: list[str]) -> list[int]:
    """Primary keys of pools that an older release kept by name; of two of one name the one known first."""
    found = dict(Pool.known.filter(name__in=names).order_by("-pk").values_list("name", "pk"))
    return [found[name] for name in names if name in found]
