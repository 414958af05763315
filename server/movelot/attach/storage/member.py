"""A volume in a volume set: a machine's disk, snapshot or swap, which comes and goes with the machine."""

from __future__ import annotations

from collections.abc import Sequence

from movelot.attach.storage.base import Leaving, Showing, StorageKind
from movelot.inventory.models import Volume
from movelot.lots.kinds import STOP, Check
from movelot.lots.step_plan import AnyHandle, StepPlan


class Member(StorageKind):
    name = Volume.Kind.MEMBER
    is_device = False

    def stands_alone(self, volume: Volume) -> Check:
        text = f"{volume.name} lives in a volume set and goes with its machine."
        return Check("volume stands alone", STOP, text)

    def show(self, volume: Volume, cluster: str) -> Showing:
        return Showing([self.stands_alone(volume)])

    def take_away(self, plan: StepPlan, leaving: Leaving, after: Sequence[AnyHandle] = ()) -> list[AnyHandle]:
        """Nothing is done to it here."""
        return [*after]
