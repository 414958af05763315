"""Whom an array is to let in to a volume: the hosts' initiators, made known to it first where it lacks them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from movelot.inventory.models import Device, HostPort, Initiator
from movelot.lots.steps.base import StepSpec
from movelot_core.fabric.paths import FC, ISCSI, NVME


@dataclass(frozen=True)
class Admission:
    """``uris`` of the hosts' initiators on the array; some are results of ``steps``, which make these known."""

    steps: list[StepSpec]
    uris: list[Any]


def names_of(array: Device, hosts: list[Device]) -> dict[int, list[str]]:
    """By each host's primary key, the names under which ``array`` has to let it in: WWPNs, its IQN, or its NQN.

    A name counts where the host has a port of the protocol; of a host that has none which the array speaks, where it
    has the name at all, so that a host without ports in an import is not left out.
    """
    spoken: dict[int, set[str]] = {host.pk: set() for host in hosts}
    ports = HostPort.objects.filter(device__in=hosts, protocol__in=array.protocols)
    for key, protocol in ports.values_list("device_id", "protocol").distinct():
        spoken[key].add(protocol)
    found = {}
    for host in hosts:
        by_protocol = {FC: host.wwpns, ISCSI: [host.initiator], NVME: [host.nqn]}
        used = spoken[host.pk] or array.protocols or {ISCSI}
        found[host.pk] = [name for p, names in by_protocol.items() if p in used for name in names if name]
    return found


def admit(array: Device, hosts: list[Device], first: int) -> Admission:
    """How ``array`` can let ``hosts`` in; the first of the steps stands at position ``first`` of the draft."""
    known = dict(Initiator.objects.filter(device=array).values_list("identifier", "uri"))
    names = names_of(array, hosts)
    steps: list[StepSpec] = []
    uris: list[Any] = []
    for host in hosts:
        for name in names[host.pk]:
            if name in known:
                uris.append(known[name])
                continue
            uris.append({"step": first + len(steps), "field": "uri"})
            title = f"Make the {_word(name)} of {host.name} known"
            steps.append(StepSpec("add_initiator", array.name, title, name, {"identifier": name}))
    return Admission(steps, uris)


def _word(name: str) -> str:
    """What the standard calls a name of this form."""
    return {"nqn": "host NQN", "iqn": "initiator"}.get(name.partition(".")[0], f"WWPN {name}")
