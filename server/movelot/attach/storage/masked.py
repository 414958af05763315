"""What storage kinds have in common that an array offers to initiators: block volumes and volume sets."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Sequence
from typing import Any, ClassVar

from movelot.attach.block.offers import (
    add_admission,
    hosts_for,
    let_in_already,
    lun_checks,
    number_checks,
    offer_for,
    reach_checks,
    withdraw_step,
)
from movelot.attach.block.steps import find_step
from movelot.attach.storage.base import Leaving, Showing, StorageKind
from movelot.fabric.connect.iscsi import log_out_steps
from movelot.inventory.models import Device, Volume
from movelot.lots.kinds import STOP, Check
from movelot.lots.step_plan import AnyHandle, StepPlan
from movelot.lots.steps.base import StepSpec
from movelot.lots.steps.deleting import DeleteNamed
from movelot.lots.steps.hosts import Unmount
from movelot_core.units import format_size


class Masked(StorageKind):
    """Hosts are let in by their initiators, then find it."""

    deleted_by: ClassVar[type[DeleteNamed]]
    unmounted_by: ClassVar[type[Unmount]] = Unmount

    @abstractmethod
    def add_search(self, plan: StepPlan, volume: Volume, blind: list[Device], admitted: list[AnyHandle]) -> None:
        """Add what gives it to each of the ``blind`` hosts once they are ``admitted``."""

    def leaving(self, volume: Volume) -> list[StepSpec[Any]]:
        """What takes it from those that use it as it is."""
        return []

    def show(self, volume: Volume, cluster: str) -> Showing:
        hosts, has = hosts_for(volume, cluster), {host.pk for host in self.hosts_with(volume)}
        blind = [host for host in hosts if host.pk not in has]
        if not blind:
            return Showing([Check("something to do", STOP, f"Every host sees {volume.name} already.")])
        offer, steps = offer_for(volume, blind), StepPlan()
        self.add_search(steps, volume, blind, add_admission(steps, volume, hosts))
        facts = {f"initiators let in to {volume.name}": ", ".join(sorted(let_in_already(volume))) or "none"}
        checks = [*(lun_checks(volume, offer, blind) if offer else []), *reach_checks(volume, blind)]
        checks += number_checks(volume)
        return Showing(checks, steps, [host.name for host in hosts], len(has), facts)

    def take_away(self, plan: StepPlan, leaving: Leaving, after: Sequence[AnyHandle] = ()) -> list[AnyHandle]:
        """Take from machines and unmount side by side, withdraw once all have, scan so that it goes, then delete."""
        volume, store, array = leaving.volume, leaving.store, leaving.volume.device
        specs = self.leaving(volume)
        if store:
            unmount = self.unmounted_by(serial=volume.serial, name=store.name)
            mounts = Device.objects.filter(mounts__datastore=store).order_by("name")
            specs += [unmount.on(host.name, f"Unmount {store.name} from {host.name}") for host in mounts]
        left = plan.barrier([*after, *plan.add_all(specs, after)])
        withdrawals = [withdraw_step(volume, offer) for offer in volume.offers.order_by("pk")]
        withdrawn = plan.barrier([*left, *plan.add_all(withdrawals, left)])
        devices = [*leaving.hosts] if self.is_device else []
        scans = [find_step(array, host, [volume.serial], "by its serial", present=False) for host in devices]
        gone = plan.barrier([*withdrawn, *plan.add_all(scans, withdrawn)])
        if volume.target != array.target:
            logouts = log_out_steps(array, devices, volume.target, volume.name)
            gone = plan.barrier([*gone, *plan.add_all(logouts, gone)])
        if not leaving.keep:
            detail = f"{format_size(volume.allocated_bytes)} back to pool {volume.pool.name}; cannot be undone"
            delete = self.deleted_by(uri=volume.uri, name=volume.name)
            gone = [plan.add(delete.on(array.name, f"Delete {self.noun} {volume.name}", detail), gone)]
        return gone
