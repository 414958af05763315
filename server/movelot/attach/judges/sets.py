"""Judging volume sets: those that hold nearly as many volumes as they allow."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from datetime import datetime
from typing import Any

from movelot.attach.findings import SET_NEARLY_FULL
from movelot.attach.findings.set_nearly_full import SetNearlyFullEvidence
from movelot.findings.base import Found, Subject
from movelot.findings.judging import Judge
from movelot.inventory.changes import Aspect, Change
from movelot.inventory.models import Device, Volume
from movelot_core.volume_sets import nearly_full


class SetJudge(Judge):
    name = "sets"
    aspects = frozenset({Aspect.FABRIC})

    def touched(self, changes: Iterable[Change]) -> set[str]:
        return self.scopes() if any(change.kind == Device.Kind.ARRAY for change in changes) else set()

    def judge(self, scope: str, moment: datetime) -> Iterable[Found[Any]]:
        sets = list(Volume.objects.filter(kind=Volume.Kind.SET).order_by("name"))
        members = Volume.objects.filter(kind=Volume.Kind.MEMBER) if sets else Volume.objects.none()
        held = Counter(members.values_list("set_serial", flat=True))
        for volume in sets:
            if nearly_full(volume.volumes_max, held[volume.serial]):
                evidence = SetNearlyFullEvidence(held[volume.serial], volume.volumes_max)
                yield Found(SET_NEARLY_FULL, Subject("volume", volume.pk, volume.name), evidence)
