"""What taking a component away would do: which hosts lose a volume, and which are left on a single point.

Answers “the storage team will work on this tonight: what is on it, which hosts, which machines?”.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from movelot_core.fabric.matrix import Bools, Counts, PathMatrix, single_points_all
from movelot_core.fabric.paths import HostPort, Portal, components_of, uplink_of, uplinks_of

# Redundancy is against the loss of one of these; a portal or port alone is part of them.
LEGS = ("uplink", "switch", "subnet", "fabric", "controller")


class Effect(StrEnum):
    """What a loss does to a host's use of a volume, or to a machine."""

    STOPS = "stops"
    THINNER = "thinner"
    NONE = "none"


@dataclass(frozen=True, slots=True)
class Component:
    """A thing that can be taken away: kind and the name as ``components_of`` gives it; also array, host, volume."""

    kind: str
    name: str


@dataclass(frozen=True)
class Loss:
    """[v, h] paths before and after, and where a host comes to depend on a single leg of a kind it had more of."""

    before: Counts
    after: Counts
    thinner: Bools

    def effect(self, volume: int, host: int) -> Effect:
        """What the loss means for a host that has a volume, both by index."""
        if self.before[volume, host] > 0 and self.after[volume, host] == 0:
            return Effect.STOPS
        return Effect.THINNER if self.thinner[volume, host] else Effect.NONE


def runs_through(component: Component, port: HostPort, portal: Portal) -> bool:
    """Whether the path from ``port`` to ``portal`` needs ``component``."""
    if component.kind == "array":
        return portal.array == component.name
    if component.kind == "host":
        return port.host == component.name
    return (component.kind, component.name) in components_of(port, portal)


def lose(paths: PathMatrix, component: Component, volumes: Collection[str] = ()) -> Loss:
    """The effect of taking ``component`` away; ``volumes`` (ids) are lost whole, as with their pool.

    Example: hosts with two ports in two subnets lose one subnet: nobody stops, all are left on the other subnet.
    """
    fabric = paths.fabric
    through = np.zeros((len(fabric.ports), len(fabric.portals)), dtype=bool)
    for p, q in np.argwhere(fabric.wiring[0]):
        through[p, q] = runs_through(component, fabric.ports[p], fabric.portals[q])
    gone = np.array([offer.volume in volumes for offer in fabric.offers], dtype=bool)
    dead = _uplinks_gone(fabric.ports, component)
    ports = [_without(port, dead) for port in fabric.ports]
    fewer = np.array([port is not rest for port, rest in zip(fabric.ports, ports, strict=True)], dtype=bool)
    dark = fewer & np.array([not port.active_uplinks for port in ports], dtype=bool)
    left = paths.seen & ~through[None] & ~gone[:, None, None] & ~dark[None, :, None]
    rest = PathMatrix(replace(fabric, ports=tuple(ports)), paths.expected, left, paths.cause)
    before, after = paths.per_host(paths.seen), rest.per_host(left)
    touched = (after < before) | (paths.per_host(paths.seen & fewer[None, :, None]) > 0)
    newly = (_on_one_leg(rest) & ~_on_one_leg(paths)).any(axis=0)
    return Loss(before, after, np.asarray(newly & touched & (after > 0)))


def _uplinks_gone(ports: Sequence[HostPort], component: Component) -> set[str]:
    """Uplinks, named with their hosts, that go with a component: itself, or what is cabled to the switch."""
    if component.kind == "switch":
        # Of an interface it is known what its active uplink is cabled to.
        active = [port for port in ports if port.switch == component.name and port.active_uplinks]
        return {f"{port.host} {port.active_uplinks[0]}" for port in active}
    return {component.name} if component.kind == "uplink" else set()


def _without(port: HostPort, gone: set[str]) -> HostPort:
    """A port that is left with fewer uplinks, of those that take over from one another."""
    if uplink_of(port) or not gone & set(uplinks_of(port)):
        return port
    active, standby = (
        tuple(uplink for uplink in each if f"{port.host} {uplink}" not in gone)
        for each in (port.active_uplinks, port.standby_uplinks)
    )
    first = port.active_uplinks[:1] == (active or standby)[:1]
    switch = port.switch if first else ""
    return replace(port, active_uplinks=active or standby, standby_uplinks=standby if active else (), switch=switch)


def _on_one_leg(paths: PathMatrix) -> Bools:
    """[leg, v, h] Whether a host reaches a volume through a single uplink, switch, subnet or controller."""
    fabric = paths.fabric
    volume = {offer.volume: n for n, offer in enumerate(fabric.offers)}
    host = {name: n for n, name in enumerate(fabric.hosts)}
    found = np.zeros((len(LEGS), len(volume), len(host)), dtype=bool)
    for point in single_points_all(paths):
        if point.kind in LEGS:
            found[LEGS.index(point.kind), volume[point.volume], host[point.host]] = True
    return found


@dataclass(frozen=True, slots=True)
class MachineUse:
    """A machine as a loss sees it, by its id: the host it runs on and the volumes (ids) under its disks."""

    id: str
    host: str
    volumes: frozenset[str]


def machines_hit(paths: PathMatrix, loss: Loss, machines: Sequence[MachineUse]) -> dict[str, Effect]:
    """What the loss does to each machine that it touches: it stops when its host loses any of its volumes."""
    volume = {offer.volume: n for n, offer in enumerate(paths.fabric.offers)}
    host = {name: n for n, name in enumerate(paths.fabric.hosts)}
    found: dict[str, Effect] = {}
    for machine in machines:
        effects = _effects(machine, loss, volume, host)
        if effects:
            found[machine.id] = Effect.STOPS if Effect.STOPS in effects else Effect.THINNER
    return found


def _effects(machine: MachineUse, loss: Loss, volume: Mapping[str, int], host: Mapping[str, int]) -> set[Effect]:
    if machine.host not in host:
        return set()
    return {loss.effect(volume[v], host[machine.host]) for v in machine.volumes if v in volume} - {Effect.NONE}
