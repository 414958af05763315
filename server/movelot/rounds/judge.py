"""Judging devices: whether each can be read, and how its clock goes."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from typing import Any

from movelot.findings.base import Found, Subject
from movelot.findings.judging import Judge
from movelot.inventory.changes import Aspect
from movelot.inventory.models import Device
from movelot.rounds.findings.clock_off import ClockOffEvidence, ClockOffKind
from movelot.rounds.findings.device_trouble import DeviceTroubleEvidence, DeviceTroubleKind
from movelot_core.rounds import clock_is_off

DEVICE_TROUBLE, CLOCK_OFF = DeviceTroubleKind(), ClockOffKind()


class DeviceJudge(Judge):
    name = "devices"
    aspects = frozenset({Aspect.STATE})

    def judge(self, scope: str, moment: datetime) -> Iterable[Found[Any]]:
        for device in Device.objects.exclude(state__in=[Device.State.LINKED, Device.State.IMPORTED]):
            evidence = DeviceTroubleEvidence(device.state, device.trouble)
            yield Found(DEVICE_TROUBLE, Subject("device", device.pk, device.name), evidence)
        clocks = Device.objects.filter(clock_offset_seconds__isnull=False)
        for key, name, offset in clocks.values_list("pk", "name", "clock_offset_seconds"):
            if offset is not None and clock_is_off(offset):
                yield Found(CLOCK_OFF, Subject("device", key, name), ClockOffEvidence(offset))
