"""Lots that find paths which nothing stands in the way of: the host only has to log in or connect, and to look."""

from __future__ import annotations

from typing import Any

from movelot.attach.frames import ends_of, paths_between, paths_outcome
from movelot.attach.mending import find_paths_steps
from movelot.inventory.paths import expected_table
from movelot.lots.drafting import STOP, Check, Draft, DraftKind
from movelot.lots.models import Lot


class FindPathsKind(DraftKind):
    """Form: host, array."""

    name = "find_paths"

    def drafted(self, form: dict[str, Any], lot: Lot) -> Draft:
        host, array = ends_of(form)
        if host is None or array is None:
            check = Check("host and array are known", STOP, "The host or the array is not linked.")
            return Draft("Find paths", checks=[check])
        title = f"Find the paths of {host.name} to {array.name}"
        steps = find_paths_steps(host, [(array, expected_table([host], array, "any volume"))], (), 0)
        if not steps:
            text = f"{host.name} is connected to {array.name} over every path that it could have."
            return Draft(title, checks=[Check("something to find", STOP, text)])
        now = paths_between(host, array)
        plan = {"host": host.name, "array": array.name, "paths": now}
        return Draft(title, steps, plan, [], {f"paths of {host.name} to {array.name}": str(now)})

    def outcome(self, lot: Lot) -> dict[str, Any]:
        """Paths to the array before and after."""
        return paths_outcome(lot)
