"""What an attach lot can mend first, so that hosts get the paths they would miss."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from movelot.fabric.mending import frame_steps, new_interfaces
from movelot.fabric.settling import BINDING
from movelot.fabric.uplinks import fixes_for
from movelot.inventory.models import Device
from movelot.inventory.paths import PathTable
from movelot.lots.steps.base import StepSpec
from movelot_core.fabric.causes import Cause

FixesByHost = dict[str, list[StepSpec[Any]]]


@dataclass
class Fixable:
    """A host that would miss paths, and what the lot can do about it first."""

    host: str
    text: str


def fixes_in(table: PathTable, hosts: list[Device]) -> FixesByHost:
    """The steps that bring missing paths of ``table`` back, by host, where its own settings stand in their way."""
    causes: dict[str, set[Cause]] = {}
    for path in table.paths:
        if path.missing and path.cause:
            causes.setdefault(path.host, set()).add(path.cause)
    unbound = fixes_for([host for host in hosts if causes.get(host.name, set()) & {*BINDING}])
    made = new_interfaces(table)
    found: FixesByHost = {}
    for host in hosts:
        steps = [
            *(new.spec for new in made.get(host.name, [])),
            *([unbound[host.name]] if host.name in unbound else []),
        ]
        if Cause.FRAME in causes.get(host.name, set()):
            steps += frame_steps(host, table)
        if steps:
            found[host.name] = steps
    return found


def fixables(fixes: FixesByHost, chosen: list[str]) -> list[Fixable]:
    """Those of ``fixes`` that are not chosen yet, in words."""
    return [
        Fixable(host, "; ".join(step.title for step in steps)) for host, steps in fixes.items() if host not in chosen
    ]
