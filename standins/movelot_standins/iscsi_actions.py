"""What hosts do with iSCSI targets: discover, log in, log out; and the CHAP that both sides ask for.

Terms follow RFC 7143: a discovery session with one portal (SendTargets) lists all portals of a target; a session is
made of an interface's login to a portal. An array has one target that its volumes share; a volume may have its own.
"""

from __future__ import annotations

from movelot_standins.actions import ActionError, reaches, reaching
from movelot_standins.model import Host, World

PROTOCOL = "iSCSI"
OFF, ONE_WAY, MUTUAL = "None", "CHAP", "MutualCHAP"
METHODS = (OFF, ONE_WAY, MUTUAL)
# RFC 7143 asks for 96 random bits where nothing else protects the exchange.
SECRET_BYTES_MIN = 12

Chap = dict[str, str]


def array_of_target(world: World, target: str) -> str:
    """The array whose target this is."""
    shared = {world.target_name(portal.array): portal.array for portal in world.portals if portal.protocol == PROTOCOL}
    own = {world.target_of(volume): world.array_of(volume) for volume in world.volumes if volume.own_target}
    found = (shared | own).get(target)
    if found is None:
        raise ActionError(404, "ResourceMissingAtURI", f"No discovery session lists {target}.")
    return found


def login_pairs(world: World, host: Host, array: str) -> list[list[str]]:
    """The (interface, portal) pairs over which a host can log in to an array."""
    over = {interface.name for interface in host.interfaces if interface.protocol == PROTOCOL}
    return [pair for pair in reaching(world, host, array) if pair[0] in over]


def login(world: World, host: Host, target: str, address: str, *, again: bool = False) -> None:
    """Ask the portal at ``address`` for the target's portals, and log in to all that are reached.

    With ``again`` the sessions that are there log in anew too, one after the other, so that another CHAP counts.
    """
    array = array_of_target(world, target)
    portal = next((p for p in world.portals_of(array) if p.address.split("/")[0] == address), None)
    if portal is None or not any(reaches(world, interface, portal) for interface in host.interfaces):
        raise ActionError(409, "ResourceInUse", f"{host.name} gets no answer from a portal at {address}.")
    method = _authenticate(world, host, array)
    sessions = host.sessions.setdefault(target, [])
    there = {(port, name) for port, name, _ in sessions}
    for port, name in login_pairs(world, host, array):
        if (port, name) not in there:
            sessions.append([port, name, method])
        elif again:
            next(s for s in sessions if s[:2] == [port, name])[2] = method


def _authenticate(world: World, host: Host, array: str) -> str:
    """The method that both sides agree on; refuses an initiator that is unknown, and CHAP that differs."""
    if host.iqn not in world.initiators[array]:
        raise ActionError(403, "InsufficientPrivilege", f"{array} does not know the initiator {host.iqn}.")
    asked = world.chap.get(array, {}).get(host.iqn, {"Method": OFF})
    if host.chap.get(array, {"Method": OFF}) != asked:
        raise ActionError(403, "AccessDenied", f"{array} refused the login of {host.name}: CHAP does not agree.")
    return asked["Method"]


def logout(world: World, host: Host, target: str, keep: list[list[str]]) -> None:
    """Leave a target but for the pairs to keep; the last one goes only when nothing behind it is mounted."""
    array_of_target(world, target)
    left = [session for session in host.sessions.get(target, []) if session[:2] in keep]
    behind = {volume.serial for volume in world.volumes if world.target_of(volume) == target}
    ports = {interface.name for interface in host.interfaces if interface.protocol == PROTOCOL}
    # What is reached over FC too stays up without a session.
    alone = {s for s in behind & set(host.known) if all(port in ports for port, _ in host.known[s])}
    held = [store.name for store in world.datastores if store.id in host.mounted and store.serial in alone]
    if held and not left:
        raise ActionError(409, "ResourceInUse", f"{host.name} mounts {', '.join(held)} from it.")
    host.sessions[target] = left
    if not left:
        del host.sessions[target]


def chap_of(fields: dict[str, object]) -> Chap:
    """What was asked for, checked: a method, and the names and secrets that it needs."""
    method = str(fields.get("Method", ""))
    if method not in METHODS:
        raise ActionError(400, "PropertyValueNotInList", f"There is no method {method}.")
    names = {OFF: [], ONE_WAY: ["UserName", "Secret"]}.get(method, ["UserName", "Secret", "TargetUser", "TargetSecret"])
    wanted = {"Method": method, **{name: str(fields.get(name, "")) for name in names}}
    secrets = [value for name, value in wanted.items() if name.endswith("Secret")]
    if any(len(secret) < SECRET_BYTES_MIN for secret in secrets):
        raise ActionError(400, "PropertyValueFormatError", f"A secret needs {SECRET_BYTES_MIN} characters or more.")
    if len(secrets) != len(set(secrets)):
        raise ActionError(400, "PropertyValueConflict", "The two secrets of mutual CHAP have to differ.")
    return wanted


def set_host_chap(world: World, host: Host, target: str, fields: dict[str, object]) -> None:
    """How a host authenticates at an array, for its shared target and all of its volumes' own ones."""
    _put(host.chap, array_of_target(world, target), chap_of(fields))


def set_array_chap(world: World, array: str, initiator: str, fields: dict[str, object]) -> None:
    """What an array asks of an initiator. Sessions that are there stay; the next login has to agree."""
    _put(world.chap.setdefault(array, {}), initiator, chap_of(fields))


def _put(entries: dict[str, Chap], name: str, wanted: Chap) -> None:
    if wanted["Method"] == OFF:
        entries.pop(name, None)
    else:
        entries[name] = wanted


def log_in_everywhere(world: World, host: Host) -> None:
    """The sessions of a site that was set up: to each array's shared target that knows the host, over all pairs."""
    for array in sorted({portal.array for portal in world.portals if portal.protocol == PROTOCOL}):
        if host.iqn and host.iqn in world.initiators[array]:
            pairs = login_pairs(world, host, array)
            host.sessions[world.target_name(array)] = [[*pair, OFF] for pair in pairs]


def targets_of(world: World, host: Host) -> list[dict[str, object]]:
    """The targets that a host is logged in to or has a secret for, as it tells them; secrets are never told."""
    names = {*host.sessions, *(world.target_name(array) for array in host.chap)}
    return [
        {
            "IQN": target,
            "Chap": host.chap.get(array_of_target(world, target), {"Method": OFF})["Method"],
            "Sessions": [{"Port": i, "Portal": p, "Chap": chap} for i, p, chap in host.sessions.get(target, [])],
        }
        for target in sorted(names)
    ]
