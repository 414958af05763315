"""How many datastores to cut a space into, from how the cluster uses what it has; in words for the page."""

from __future__ import annotations

import json
from dataclasses import dataclass

from movelot.attach.pools.fits import Figures, ceiling_of
from movelot.attach.pools.group_figures import group_figures
from movelot.findings.judging import kept
from movelot.inventory.known_groups import growth_name
from movelot.inventory.models import BalanceGroup, Cluster, Device, Pool
from movelot_core.attach import Reason
from movelot_core.sizing import Habits, advise
from movelot_core.units import GIB, TIB, count_of, format_size


@dataclass
class Advice:
    """So many datastores of this size, written as the form takes it; reasons in words, the one that decides first."""

    count: int
    size: str
    reasons: list[str]


def advice_for(
    cluster: Cluster | None, hosts: list[Device], pools: list[Pool], total_bytes: int, figures: Figures
) -> Advice | None:
    """Advice on cutting ``total_bytes`` over ``pools``; None while there is nothing to cut or no cluster."""
    group = getattr(cluster, "group", None)
    if not total_bytes or not pools or not hosts or group is None:
        return None
    sizing = advise(total_bytes, _habits(group, hosts, pools, figures, ceiling_of(cluster)))
    return Advice(sizing.count, _typed(sizing.size_bytes), [text(reason) for reason in sizing.reasons])


def _typed(size_bytes: int) -> str:
    """A size of whole GiB as a person would type it."""
    return f"{size_bytes // TIB} TiB" if size_bytes % TIB == 0 else f"{size_bytes // GIB} GiB"


def _habits(group: BalanceGroup, hosts: list[Device], pools: list[Pool], figures: Figures, ceiling_ms: float) -> Habits:
    """The cluster's habits; a pool whose latency nobody measured yet is taken to answer at the ceiling."""
    known = group_figures(group)
    latencies = [figures[pool.pk][1].peak_ms or ceiling_ms for pool in pools]
    return Habits(
        largest_disk_bytes=known.largest_disk_bytes,
        held_bytes=known.held_bytes,
        peak_iops=known.peak_iops,
        growth_bytes_per_day=_growth(group.pk),
        hosts=len(hosts),
        queue_depth=min(host.queue_depth for host in hosts),
        latency_ms=max(latencies),
        copy_bytes_per_second=_copy_rate(pools[0].device, hosts),
        fill_ceiling=group.fill_ceiling,
    )


def _growth(group: int) -> float:
    """Bytes a day by which all datastores of a group grow together, as last judged."""
    found = kept(growth_name(group))
    slopes = json.loads(found.document).values() if found else ()
    return sum(max(0.0, slope or 0.0) for slope in slopes)


def _copy_rate(array: Device, hosts: list[Device]) -> float:
    """Bytes per second at which a datastore is emptied: by the array itself, else by all hosts together."""
    return array.copy_bytes_per_second or sum(host.copy_bytes_per_second for host in hosts)


def text(reason: Reason) -> str:
    """One reason in words."""
    figures = reason.figures
    match reason.code:
        case "queue":
            if not figures["per_store"]:
                return "queue: hosts do not say how many I/Os they keep outstanding to a device"
            return (
                f"queue: {figures['iops']:,.0f} IOPS at the peak hour answered in {figures['latency_ms']:.1f} ms keep "
                f"{figures['outstanding']:,.0f} I/Os outstanding; the hosts plan {figures['per_store']:,.0f} to a "
                f"datastore, half of what they may: {figures['count']:.0f} or more"
            )
        case "drain":
            if not figures["most_bytes"]:
                return "emptying: nothing says how fast copies go"
            whole = f"{figures['hours_whole']:.1f} h" if figures["hours_whole"] >= 0.1 else "minutes"
            return (
                f"emptying: all of it takes {whole} at the rate of copies; one should be empty "
                f"in {figures['hours']:.0f} h: {figures['count']:.0f} or more"
            )
        case "largest_disk":
            if not figures["least_bytes"]:
                return "largest disk: there is none yet"
            most = f"{figures['count']:.0f} at most" if figures["roomy"] else "this space is smaller"
            return (
                f"largest disk: {format_size(figures['disk_bytes'])}; to take it twice under the ceiling a datastore "
                f"needs {format_size(figures['least_bytes'])}: {most}"
            )
        case "growth":
            growth, days = format_size(figures["growth_bytes_per_day"]), count_of(round(figures["days"]), "day")
            return f"growth: the cluster grows {growth} a day; if all of that went there, it lasts {days}"
    raise KeyError(reason.code)
