"""A volume in a volume set: a machine's disk, snapshot or swap, which comes and goes with the machine."""

from __future__ import annotations

from movelot.attach.storage.base import Showing, StorageKind
from movelot.inventory.models import Datastore, Device, Volume
from movelot.lots.kinds import STOP, Check
from movelot.lots.step_plan import StepPlan


class Member(StorageKind):
    name = Volume.Kind.MEMBER
    is_device = False

    def stands_alone(self, volume: Volume) -> Check:
        text = f"{volume.name} lives in a volume set and goes with its machine."
        return Check("volume stands alone", STOP, text)

    def show(self, volume: Volume, cluster: str) -> Showing:
        return Showing([self.stands_alone(volume)])

    def take_away(self, volume: Volume, store: Datastore | None, hosts: list[Device], keep: bool) -> StepPlan:
        """Nothing is done to it here."""
        return StepPlan()
