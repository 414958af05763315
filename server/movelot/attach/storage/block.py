"""A block volume: hosts see it as a device, and it is a datastore, or a machine has it as it is."""

from __future__ import annotations

from typing import Any

from movelot.attach.block.raw import raw_disks, take_steps
from movelot.attach.block.steps import find_step, policy_step
from movelot.attach.storage.masked import Masked
from movelot.fabric.connect import connect_steps
from movelot.inventory.models import Datastore, Device, Volume
from movelot.inventory.paths import expected_table
from movelot.lots.step_plan import AnyHandle, StepPlan
from movelot.lots.steps.base import StepSpec
from movelot.lots.steps.hosts import Mount as MountStep
from movelot.lots.steps.volumes import DeleteVolume


class Block(Masked):
    """What is on it is mounted as it is found: without a datastore it is only seen."""

    name = Volume.Kind.BLOCK
    formattable = True
    deleted_by = DeleteVolume

    def add_search(self, plan: StepPlan, volume: Volume, blind: list[Device], admitted: list[AnyHandle]) -> None:
        """Find it on each blind host once they are ``admitted``, mount what the others mount, set the path policy."""
        store = Datastore.objects.filter(extents__serial=volume.serial).first()
        name, identity = (store.name, store.identity) if store else (volume.name, "")
        is_raw = bool(raw_disks(volume))
        table = expected_table(blind, volume.device, volume.name, volume.target)
        joined = plan.add_all(connect_steps(volume.device, blind, table), admitted)
        finds = [find_step(volume.device, host, [volume.serial], "by its serial, not by time") for host in blind]
        for host, found in zip(blind, plan.add_all(finds, [*admitted, *joined]), strict=True):
            ready: AnyHandle = found
            # A machine has a raw volume as it is: there is nothing to mount.
            if not is_raw:
                mount = MountStep(serial=volume.serial, name=name, identity=identity, as_found=True)
                spec = mount.on(host.name, f"Mount {name} on {host.name}", "as it is found; nothing is formatted")
                ready = plan.add(spec, found)
            plan.add(policy_step(volume.serial, host), ready)

    def leaving(self, volume: Volume) -> list[StepSpec[Any]]:
        return take_steps(volume)
