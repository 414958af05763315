"""The checks of an attach lot: its form, its pools, its paths, and other people's drafts."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from movelot.attach.form import ReadForm
from movelot.inventory.capabilities import OWN_TARGET
from movelot.inventory.models import Device, Pool
from movelot.inventory.paths import PathTable
from movelot.inventory.sentences import cause_text, fit_text
from movelot.lots.kinds import PASS, STOP, WARN, Check, Claim
from movelot.lots.models import Lot
from movelot.placement.grants import claims_of
from movelot_core.attach import PoolFit, Verdict
from movelot_core.fabric.paths import ISCSI, network_of
from movelot_core.fabric.transports import transport_of
from movelot_core.units import count_of, format_share, format_size

if TYPE_CHECKING:
    from movelot.attach.pools.fits import PlannedVolume


def form_checks(meant: ReadForm, fits: list[tuple[Pool, PoolFit]], chosen: list[Pool]) -> list[Check]:
    """What the form lacks, and whether each pool that takes part has room for all that it would get."""
    checks = [
        Check(f"{problem.field} is usable", STOP, f"{problem.message} {problem.hint}") for problem in meant.problems
    ]
    if not fits and not chosen:
        checks.append(Check("a pool fits", STOP, "No array with a pool is linked yet."))
    keys = {pool.pk for pool in chosen}
    for pool, fit in fits:
        if pool.pk not in keys or meant.size_bytes is None:
            continue
        level = {Verdict.FITS: PASS, Verdict.TIGHT: WARN, Verdict.REFUSED: STOP}[fit.verdict]
        subscribed = format_share(fit.subscription_after)
        left = f"{format_size(fit.free_after_bytes)} left in {pool.name}, {subscribed} subscribed"
        checks.append(Check("pool has room", level, left if level == PASS else f"{pool.name}: {fit_text(fit)}"))
    return checks


def path_checks(table: PathTable) -> list[Check]:
    """Hosts without any path stop; missing paths and single points of failure warn."""
    checks, legs = [], ("subnet", "fabric")
    seen = sum(path.seen for path in table.paths)
    expected = sum(path.expected for path in table.paths)
    hosts = sorted({port.host for port in table.ports})
    blind = [host for host in hosts if not any(path.seen for path in table.paths if path.host == host)]
    checks += [Check("every host reaches it", STOP, f"{host} would have no path at all.") for host in blind]
    for host in hosts:
        points = sorted({point.component for point in table.points if point.host == host and point.kind in legs})
        if host in blind:
            continue
        if points:
            checks.append(Check("no single point of failure", WARN, f"{host} would reach it over {points[0]} only."))
        elif lost := [path for path in table.paths if path.host == host and path.missing]:
            why = "; ".join(sorted({cause_text(path.cause, path.port) for path in lost if path.cause}))
            checks.append(Check("every path is there", WARN, f"{host} would miss {len(lost)} of its paths: {why}."))
    if seen == expected:
        checks.append(Check("paths", PASS, f"{seen} of {expected} paths, on {_legs(table)}"))
    return checks


def can_own_targets(array: Device) -> bool:
    """Whether an array can put volumes behind iSCSI targets of their own."""
    return ISCSI in array.protocols and array.can(OWN_TARGET)


def target_checks(meant: ReadForm, array: Device) -> list[Check]:
    """Whether the array can put volumes behind targets of their own, where that is asked for."""
    if not meant.own_target:
        return []
    if ISCSI not in array.protocols:
        return [Check("target of its own", STOP, f"{array.name} is not reached over iSCSI; only that has targets.")]
    if not can_own_targets(array):
        return [Check("target of its own", STOP, f"{array.name} has one target for all of its volumes.")]
    return [Check("target of its own", PASS, "every host logs in to each volume's target apart")]


def _legs(table: PathTable) -> str:
    """Over how many subnets, or FC fabrics, and controllers the paths go."""
    used = {path.portal for path in table.paths if path.seen}
    portals = [portal for portal in table.portals if portal.name in used]
    ways = []
    networks = {(transport_of(portal.protocol).network_word, network_of(portal.address)) for portal in portals}
    for word in sorted({word for word, _ in networks}):
        ways.append(count_of(sum(each == word for each, _ in networks), word))
    controllers = count_of(len({portal.controller for portal in portals}), "controller")
    return f"{', '.join(ways)} and {controllers}"


def rival_checks(lot: Lot, chosen: list[Pool], volumes: list[PlannedVolume]) -> list[Check]:
    """Other people's drafts on the same pools, and whether these have room for all of them."""
    asked_by = dict(claims_of([Lot.State.DRAFT], lot))
    checks = []
    for pool in chosen:
        rivals = {other: _asked(asked, pool) for other, asked in asked_by.items() if _asked(asked, pool)}
        if not rivals:
            continue
        asked = sum(rivals.values()) + sum(volume.size_bytes for volume in volumes if volume.pool_id == pool.pk)
        free = pool.capacity_bytes - pool.allocated_bytes
        who = ", ".join(f"lot {other.pk} of {other.created_by.username}" for other in list(rivals)[:3])
        room = f"together they ask {format_size(asked)} of {format_size(free)} free"
        fits = "it has room for all" if asked <= free else room
        checks.append(Check("no rival draft", WARN, f"{pool.name} is also drafted on by {who}; {fits}."))
    return checks


def _asked(claims: Sequence[Claim], pool: Pool) -> int:
    return sum(claim.size_bytes for claim in claims if claim.pool_id == pool.pk)
