"""Lots that delete what machines that are off left of their memory on disk."""

from __future__ import annotations

from dataclasses import dataclass, field

from movelot.inventory.models import Datastore, Machine
from movelot.lots.documents import LotForm, LotPlan
from movelot.lots.kinds import PASS, STOP, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.lots.steps.machine_files import DeleteSwap
from movelot.placement.returned_room import StoreRoom, measured, room_of
from movelot_core.units import count_of, format_size

MACHINES_MAX = 100


@dataclass(frozen=True)
class SwapForm(LotForm):
    """Machines by their primary keys."""

    machines: list[int] = field(default_factory=list)


@dataclass
class SwapPlan(LotPlan):
    """The machines, and the room that comes back."""

    machines: list[str]
    stores: list[StoreRoom]


class DeleteSwapKind(LotKind[SwapForm, SwapPlan]):
    """Deletes left swap: a host makes it anew whenever a machine is switched on."""

    name, form, plan = "delete_swap", SwapForm, SwapPlan

    def drafted(self, form: SwapForm, lot: Lot) -> Draft[SwapForm, SwapPlan]:
        rows = Machine.objects.filter(pk__in=form.machines[:MACHINES_MAX], swap_bytes__gt=0, placement__isnull=False)
        machines = list(rows.select_related("placement__host").order_by("name", "pk"))
        if not machines:
            text = "None of them has left any, or they are gone."
            return Draft("Delete left swap", checks=[Check("swap is there", STOP, text)])
        title = f"Delete the swap of {machines[0].name if len(machines) == 1 else count_of(len(machines), 'machine')}"
        facts = {f"power of {machine.name}": machine.power for machine in machines}
        on = [machine.name for machine in machines if machine.power != "Off"]
        if on:
            text = f"{', '.join(on)} {'is' if len(on) == 1 else 'are'} on and uses it."
            return Draft(title, checks=[Check("machines are off", STOP, text)], facts=facts)
        homes = {each.home for each in machines}
        stores = dict(Datastore.objects.filter(identity__in=homes).values_list("identity", "pk"))
        returned: dict[int, int] = {}
        steps = StepPlan()
        for machine in machines:
            if machine.home in stores:
                key = stores[machine.home]
                returned[key] = returned.get(key, 0) + machine.swap_bytes
            delete = DeleteSwap(machine=machine.name, identity=machine.identity, swap_bytes=machine.swap_bytes)
            detail = f"{format_size(machine.swap_bytes)}; made anew when it is switched on"
            steps.add(delete.on(machine.host.name, f"Delete the swap of {machine.name}", detail))
        plan = SwapPlan([machine.name for machine in machines], room_of(returned))
        size = format_size(sum(machine.swap_bytes for machine in machines))
        checks = [
            Check("machines are off", PASS, "nothing uses it while they are"),
            Check("what comes back", PASS, f"{size}; hosts make it anew, so nothing has to be undone"),
        ]
        return Draft(title, steps, plan, checks, facts)

    def outcome(self, lot: Lot, plan: SwapPlan) -> list[MeasuredRow]:
        return measured(plan.stores)
