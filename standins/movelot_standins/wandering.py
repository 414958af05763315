"""What changes by other means than Move Lot: machines go to other hosts; things are renamed, hidden, listed again."""

from __future__ import annotations

from movelot_standins.actions import ActionError
from movelot_standins.model import Datastore, Machine, Pool, World

HIDDEN_KINDS = ("machine", "datastore", "pool")
Thing = Machine | Datastore | Pool


def migrate(world: World, name: str, source: str, target: str) -> Machine:
    """Let a running machine go from one host to another that mounts all of its datastores."""
    machine = _machine(world, name)
    if machine.host != source:
        raise ActionError(404, "ResourceMissingAtURI", f"{source} does not run {name}.")
    if not any(host.name == target for host in world.hosts):
        raise ActionError(404, "ResourceMissingAtURI", f"There is no host {target}.")
    missing = machine.places - set(world.host(target).mounted)
    if missing:
        raise ActionError(409, "ResourceInUse", f"{target} does not mount {', '.join(sorted(missing))}.")
    machine.host = target
    return machine


def rename(world: World, kind: str, name: str, to: str) -> Thing:
    """Give a machine, datastore or pool another name; what it is known by stays."""
    found = _thing(world, kind, name)
    if any(other.name == to for other in _things(world, kind)):
        raise ActionError(409, "ResourceAlreadyExists", f"A {kind} named {to} exists already.")
    if isinstance(found, Pool):
        for volume in world.volumes:
            volume.pool = to if volume.pool == name else volume.pool
    found.name = to
    world.hidden = [f"{kind}:{to}" if each == f"{kind}:{name}" else each for each in world.hidden]
    return found


def hide(world: World, kind: str, name: str) -> None:
    """Leave a thing out of every list, as a device does that is starting up."""
    _thing(world, kind, name)
    world.hidden = sorted({*world.hidden, f"{kind}:{name}"})


def show(world: World, kind: str, name: str) -> None:
    """List a thing again."""
    world.hidden = [each for each in world.hidden if each != f"{kind}:{name}"]


def _things(world: World, kind: str) -> list[Thing]:
    found: dict[str, list[Thing]] = {
        "machine": [*world.machines],
        "datastore": [*world.datastores],
        "pool": [*world.pools],
    }
    if kind not in found:
        raise ActionError(
            400, "PropertyValueNotInList", f"There is no kind {kind}; there are {', '.join(HIDDEN_KINDS)}."
        )
    return found[kind]


def _thing(world: World, kind: str, name: str) -> Thing:
    found = next((thing for thing in _things(world, kind) if thing.name == name), None)
    if found is None:
        raise ActionError(404, "ResourceMissingAtURI", f"There is no {kind} {name}.")
    return found


def _machine(world: World, name: str) -> Machine:
    found = _thing(world, "machine", name)
    assert isinstance(found, Machine)
    return found
