"""What hangs on a host's interface while it is changed."""

from __future__ import annotations

from collections.abc import Collection

from movelot.inventory.models import Device, HostDevice, Mount, Path, Volume
from movelot.inventory.sentences import first_of
from movelot.lots.kinds import PASS, STOP, WARN, Check


def interface_use_check(host: Device, interfaces: Collection[str]) -> Check:
    """Whether anything of ``host`` is reached over ``interfaces``, as last read; what has no other way would stop."""
    changed, names = {*interfaces}, ", ".join(sorted(interfaces))
    held = [(name, ports) for name, ports in _reached_by(host) if ports & changed]
    alone = [name for name, ports in held if ports <= changed]
    if alone:
        text = f"Nothing but {names} leads {host.name} to {first_of(sorted(alone))}, which would stop while it changes."
        return Check("nothing stops meanwhile", STOP, f"{text} Bring another path back first.")
    if held:
        touched = first_of(sorted(name for name, _ in held))
        text = f"Paths over {names} to {touched} are lost for a moment; the others stay up."
        return Check("nothing stops meanwhile", WARN, text)
    return Check("nothing stops meanwhile", PASS, f"{names} carries no path now; the others stay up")


def _reached_by(host: Device) -> list[tuple[str, set[str]]]:
    """All volumes and mounts that a host has a path to, with the interfaces that these paths use."""
    ports: dict[int | None, set[str]] = {}
    for key, port in Path.objects.filter(path_set__device=host).values_list("path_set_id", "port"):
        ports.setdefault(key, set()).add(port)
    devices = list(HostDevice.objects.filter(device=host).values_list("serial", "name", "path_set_id"))
    volumes = dict(Volume.objects.filter(serial__in=[serial for serial, _, _ in devices]).values_list("serial", "name"))
    reached = [(volumes.get(serial, name), ports.get(key, set())) for serial, name, key in devices]
    mounts = Mount.objects.filter(host=host, path_set__in=ports).values_list("datastore__name", "path_set_id")
    return reached + [(name, ports[key]) for name, key in mounts]
