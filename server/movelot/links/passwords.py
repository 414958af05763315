"""Lots that give Move Lot's account on devices new passwords.

Journey: passwords of devices have to be new ones every so often, or because somebody left. Today that is one console
after the other, and then each tool that knew the old one. Here one lot makes a password for each device (120 random
bits), sets it, proves that the device takes it, and reads the device with it from then on. Nobody has to know it.

What can go wrong: the device refuses (the lot stops, the old one stays); the answer is lost, or the worker dies, after
the device took it: both stand sealed in the step, and the device is asked which one it takes.
An undo gives the former one back.
"""

from __future__ import annotations

import secrets
from dataclasses import dataclass
from typing import Literal

from movelot.devices.sealing import seal
from movelot.inventory.models import Device
from movelot.lots.documents import LotForm, LotPlan, names
from movelot.lots.kinds import PASS, STOP, Check, Draft, LotKind
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.lots.steps.passwords import SetPassword
from movelot_core.units import count_of

# 120 random bits in 20 characters: many devices take no more.
PASSWORD_BYTES = 15


@dataclass
class PasswordPlan(LotPlan):
    """The devices that get a new password."""

    devices: list[str]


@dataclass(frozen=True)
class PasswordForm(LotForm):
    """One device by its name; else all linked ones, or those of a kind."""

    device: str = names("device")
    which: Literal["", "array", "host"] = ""


class PasswordKind(LotKind[PasswordForm, PasswordPlan]):
    """A new password for Move Lot's account on each device."""

    name, form, plan = "passwords", PasswordForm, PasswordPlan

    def drafted(self, form: PasswordForm, lot: Lot) -> Draft[PasswordForm, PasswordPlan]:
        devices = Device.objects.exclude(state=Device.State.IMPORTED).order_by("kind", "name")
        if form.device:
            devices = devices.filter(name=form.device)
        elif form.which:
            devices = devices.filter(kind=form.which)
        chosen = list(devices)
        if not chosen:
            text = "No such device is linked: what is known from a file only has no account of ours."
            return Draft("New passwords", checks=[Check("devices are linked", STOP, text)])
        steps = StepPlan()
        for device in chosen:
            wanted = seal(secrets.token_urlsafe(PASSWORD_BYTES)).decode()
            step = SetPassword(user=device.user, wanted=wanted, before=bytes(device.sealed_password).decode())
            steps.add(
                step.on(device.name, f"New password of {device.user} on {device.name}", "made up, shown to nobody")
            )
        what = chosen[0].name if len(chosen) == 1 else count_of(len(chosen), "device")
        text = "each device has one right password at any moment: both stand sealed in the lot before anything is sent"
        checks = [Check("nobody is locked out", PASS, text)]
        facts = {f"account on {device.name}": device.user for device in chosen}
        plan = PasswordPlan([device.name for device in chosen])
        return Draft(f"New password for {what}", steps, plan, checks, facts)
