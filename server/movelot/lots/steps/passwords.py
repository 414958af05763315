"""The step that gives Move Lot's own account on a device another password.

Both passwords stand sealed in the params before anything is sent: whatever happens in between, one of them is right.
"""

from __future__ import annotations

from typing import Any

from movelot.devices import accounts
from movelot.devices.sealing import seal_anew, unseal
from movelot.inventory.models import Device
from movelot.lots.steps.base import Progress, StepRun, StepSpec, demand
from movelot.lots.steps.swapping import Swap
from movelot.lots.steps.values import Nothing


class SetPassword(Swap):
    """``wanted`` and ``before`` are sealed passwords of the account ``user``."""

    kind = "set_password"
    proof = "the device takes the new password"
    signs_in = True

    user: str
    wanted: str
    before: str

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        wanted = unseal(self.wanted.encode())
        if not accounts.takes(run.session, wanted):
            message = f"{run.session.name} takes neither the new nor the old password of {self.user}."
            before = unseal(self.before.encode())
            self.demand_known(accounts.takes(run.session, before), "password_changed", message)
            # Not with what is kept of the device: after a restore from a backup that may be an older one.
            accounts.set_password(run.session.with_password(before), wanted)
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        name = run.session.name
        demand(
            accounts.takes(run.session, unseal(self.wanted.encode())),
            "password_refused",
            f"{name} does not take the new password of {self.user}.",
        )

    def remember(self, device: Device) -> None:
        sealed = seal_anew(self.wanted.encode())
        Device.known.filter(pk=device.pk, user=self.user).update(sealed_password=sealed)

    def undo(self, result: Nothing) -> StepSpec[Any]:
        return self.swapped().on("", f"Give {self.user} its former password back")
