"""Whom an array is to let in to a volume: the hosts' initiators, made known to it first where it lacks them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from movelot.inventory.models import Device, Initiator
from movelot.inventory.paths import initiator_of
from movelot.lots.steps.base import StepSpec
from movelot_core.fabric.paths import NVME


@dataclass(frozen=True)
class Admission:
    """``uris`` of the hosts' initiators on the array; some are results of ``steps``, which make these known."""

    steps: list[StepSpec]
    uris: list[Any]


def admit(array: Device, hosts: list[Device], first: int) -> Admission:
    """How ``array`` can let ``hosts`` in; the first of the steps stands at position ``first`` of the draft."""
    protocol = array.block_protocol
    known = dict(Initiator.objects.filter(device=array).values_list("identifier", "uri"))
    word = "host NQN" if protocol == NVME else "initiator"
    steps: list[StepSpec] = []
    uris: list[Any] = []
    for host in hosts:
        name = initiator_of(host, protocol)
        if not name:
            continue
        if name not in known:
            uris.append({"step": first + len(steps), "field": "uri"})
            title = f"Make the {word} of {host.name} known"
            steps.append(StepSpec("add_initiator", array.name, title, name, {"identifier": name}))
        else:
            uris.append(known[name])
    return Admission(steps, uris)
