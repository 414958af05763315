"""Adds the policies and labels of the made-up port, once: twelve disks are then out of policy, for three causes."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from django.core.management.base import BaseCommand
from django.db import transaction
from django.db.models import Model

from movelot.inventory.changes import people_said
from movelot.inventory.labels import put_labels
from movelot.inventory.models import Datastore, GivenPolicy, Machine, Policy, PolicyVersion
from movelot_core.labels import parse_label
from movelot_core.placement.policies import read_policy
from movelot_core.units import count_of

BY = "ines.marrow"
# By name: what it asks, and the label of those that have it, if any.
POLICIES: dict[str, tuple[tuple[tuple[str, str | int], ...], str]] = {
    "Berth-critical": ((("media", "SSD"), ("paths", 4)), "tier=critical"),
    "Records": ((("label", "keeps=records"), ("may_lose", 2)), "keeps=records"),
    "Desktops": ((("storage", "file"),), "use=desktop"),
    "Scratch": ((("room", "thin"),), "use=scratch"),
    "At sea": ((("label", "site=sea"), ("no_single_point", "none")), ""),
}
MACHINES = {
    "tier=critical": (
        *(f"gate-ocr-0{n}" for n in range(1, 5)),
        "weighbridge",
        "crane-telem-01",
        "crane-telem-02",
        "mail-relay",
    ),
    "keeps=records": (*(f"archive-0{n}" for n in range(1, 5)), "customs-docs", "cctv-01", "cctv-02"),
    "use=desktop": (*(f"desk-{n:03}" for n in range(1, 161)), "ferry-web-01"),
    "use=scratch": ("build-01", "build-02", "tug-roster"),
}
DATASTORES = {"keeps=records": ("sand-01", "slate-01", "slate-02")}


class Command(BaseCommand):
    help = "Add the made-up port's policies and labels, unless there is any policy in force."

    @transaction.atomic
    def handle(self, *_args: Any, **_options: Any) -> None:
        if Policy.objects.filter(retired_at=None).exists():
            return
        for label, names in MACHINES.items():
            machines = Machine.objects.filter(name__in=names).order_by("pk")
            put_labels("machine", _given(label, machines))
        for label, names in DATASTORES.items():
            stores = Datastore.objects.filter(name__in=names).order_by("pk")
            put_labels("datastore", _given(label, stores))
        for name, (asked, label) in POLICIES.items():
            policy = Policy.objects.create(name=name)
            documents = read_policy([{"kind": kind, "value": value} for kind, value in asked]).documents()
            PolicyVersion.objects.create(policy=policy, number=1, requirements=documents, by=BY)
            if label:
                GivenPolicy.objects.create(policy=policy, label=label, by=BY)
        people_said("policy", 0)
        self.stdout.write(f"{count_of(len(POLICIES), 'policy', 'policies')} added")


def _given(text: str, things: Iterable[Model]) -> list[tuple[int, str, str]]:
    label = parse_label(text)
    return [(thing.pk, label.key, label.value) for thing in things]
