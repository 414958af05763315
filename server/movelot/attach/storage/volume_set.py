"""A volume set: hosts reach it through the array's access points and mount it without seeing a device."""

from __future__ import annotations

from movelot.attach.storage.masked import Masked
from movelot.fabric.connect import connect_steps
from movelot.inventory.models import Datastore, Device, Volume
from movelot.inventory.paths import expected_table
from movelot.lots.step_plan import AnyHandle, StepPlan
from movelot.lots.steps.sets import DeleteVolumeSet, MountSet, UnmountSet


class VolumeSet(Masked):
    """Its volumes come and go with their machines."""

    name = Volume.Kind.SET
    noun = "volume set"
    is_device = False
    deleted_by = DeleteVolumeSet
    unmounted_by = UnmountSet

    def add_search(self, plan: StepPlan, volume: Volume, blind: list[Device], admitted: list[AnyHandle]) -> None:
        """Connect each blind host to the access points once the hosts are ``admitted``, and mount the set there."""
        store = Datastore.objects.filter(extents__serial=volume.serial).first()
        table = expected_table(blind, volume.device, volume.name)
        joined = plan.add_all(connect_steps(volume.device, blind, table), admitted)
        mount = MountSet(serial=volume.serial, name=store.name if store else volume.name)
        mounts = [mount.on(host.name, f"Mount {mount.name} on {host.name}", "verify its ways") for host in blind]
        plan.add_all(mounts, [*admitted, *joined])
