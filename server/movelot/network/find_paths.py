"""Lots that find paths which nothing stands in the way of: the host only has to log in or connect, and to look."""

from __future__ import annotations

from movelot.fabric.mending import add_path_search
from movelot.inventory.paths import expected_table
from movelot.lots.kinds import STOP, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.network.frames import EndsForm, EndsPlan, ends_of, paths_between, paths_outcome, paths_to_come


class FindPathsKind(LotKind[EndsForm, EndsPlan]):
    """Has a host log in or connect to an array, and look."""

    name, form, plan = "find_paths", EndsForm, EndsPlan

    def drafted(self, form: EndsForm, lot: Lot) -> Draft[EndsForm, EndsPlan]:
        host, array = ends_of(form)
        if host is None or array is None:
            check = Check("host and array are known", STOP, "The host or the array is not linked.")
            return Draft("Find paths", checks=[check])
        title = f"Find the paths of {host.name} to {array.name}"
        steps = StepPlan()
        after = expected_table([host], array, "any volume")
        add_path_search(steps, host, [(array, after)], [])
        if not len(steps):
            text = f"{host.name} is connected to {array.name} over every path that it could have."
            return Draft(title, checks=[Check("something to find", STOP, text)])
        now = paths_between(host, array)
        plan = EndsPlan(host.name, array.name, now, paths_to_come(host, array, after))
        return Draft(title, steps, plan, [], {f"paths of {host.name} to {array.name}": str(now)})

    def outcome(self, lot: Lot, plan: EndsPlan) -> list[MeasuredRow]:
        """Paths to the array before and after."""
        return paths_outcome(plan)
