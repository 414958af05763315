"""Whom an array is to let in to a volume: the hosts' initiators, made known to it first where it lacks them."""

from __future__ import annotations

from dataclasses import dataclass

from django.db.models import prefetch_related_objects

from movelot.inventory.models import Device, HostPort, Initiator
from movelot.lots.step_plan import Handle, StepPlan
from movelot.lots.steps.masking import AddInitiator, KnownInitiator
from movelot_core.fabric.paths import ISCSI
from movelot_core.fabric.transports import transport_of
from movelot_core.fabric.transports.base import KnownBy


@dataclass(frozen=True)
class Admission:
    """``uris`` of the hosts' initiators on the array; some are told by ``steps``, which make these known."""

    steps: list[Handle[KnownInitiator]]
    uris: list[str]


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
    prefetch_related_objects(hosts, "host_initiators")
    for host in hosts:
        names = {KnownBy.WWPN: host.wwpns, KnownBy.IQN: [host.initiator], KnownBy.NQN: [host.nqn]}
        used = {transport_of(each).known_by for each in spoken[host.pk] or array.protocols or {ISCSI}}
        found[host.pk] = [name for known_by, own in names.items() if known_by in used for name in own if name]
    return found


def admit(plan: StepPlan, array: Device, hosts: list[Device]) -> Admission:
    """How ``array`` can let ``hosts`` in, with the steps in ``plan`` that this takes."""
    known = dict(Initiator.objects.filter(device=array).values_list("identifier", "uri"))
    names = names_of(array, hosts)
    steps: list[Handle[KnownInitiator]] = []
    uris: list[str] = []
    for host in hosts:
        for name in names[host.pk]:
            if name in known:
                uris.append(known[name])
                continue
            title = f"Make the {_word(name)} of {host.name} known"
            known_then = plan.add(AddInitiator(identifier=name).on(array.name, title, name))
            steps.append(known_then)
            uris.append(known_then.result.uri)
    return Admission(steps, uris)


def _word(name: str) -> str:
    """What the standard calls a name of this form."""
    return {"nqn": "host NQN", "iqn": "initiator"}.get(name.partition(".")[0], f"WWPN {name}")
