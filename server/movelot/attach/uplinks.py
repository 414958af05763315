"""Lots that bind a host's storage interfaces to exactly one uplink each, so that all of its paths come back."""

from __future__ import annotations

from typing import Any

from movelot.attach.carried import carried_check
from movelot.attach.mending import find_paths_steps, mended
from movelot.inventory.models import Device, HostDevice, HostPort
from movelot.inventory.paths import PathTable, expected_table
from movelot.lots.drafting import STOP, Check, Draft, DraftKind
from movelot.lots.models import Lot
from movelot.lots.steps.base import StepSpec
from movelot_core.fabric.paths import ISCSI


def fixes_for(hosts: list[Device]) -> dict[str, StepSpec]:
    """The step that settles the first unbindable interface of each host, by host name.

    The uplink kept is the first active one that no other interface of the host is bound to.
    """
    found: dict[str, StepSpec] = {}
    names = {host.pk: host.name for host in hosts}
    ports: dict[int, list[HostPort]] = {}
    for port in HostPort.objects.filter(device__in=hosts, protocol=ISCSI).order_by("name"):
        ports.setdefault(port.device_id, []).append(port)
    for key, group in ports.items():
        broken = next((p for p in group if len(p.active_uplinks) != 1 or p.standby_uplinks), None)
        if broken is None:
            continue
        taken = {p.active_uplinks[0] for p in group if p is not broken and p.active_uplinks}
        free = [uplink for uplink in [*broken.active_uplinks, *broken.standby_uplinks] if uplink not in taken]
        if free:
            dropped = [u for u in [*broken.active_uplinks, *broken.standby_uplinks] if u != free[0]]
            found[names[key]] = StepSpec(
                "bind_uplink",
                names[key],
                f"Bind {broken.name} to {free[0]} alone",
                f"{', '.join(dropped)} becomes unused on it",
                {
                    "interface": broken.name,
                    "wanted": {"active": [free[0]], "standby": []},
                    "before": {"active": broken.active_uplinks, "standby": broken.standby_uplinks},
                },
            )
    return found


def _iscsi_arrays(host: Device, fix: StepSpec) -> list[tuple[Device, PathTable]]:
    """The arrays that know the host over iSCSI, each with the paths it will have once ``fix`` is done."""
    known = Device.objects.filter(initiators__identifier=host.initiator, portals__protocol=ISCSI)
    return [
        (array, mended(expected_table([host], array, "any volume"), [host], [fix], "any volume"))
        for array in known.distinct().order_by("name")
    ]


class UplinkKind(DraftKind):
    """Form: host."""

    name = "uplinks"

    def drafted(self, form: dict[str, Any], lot: Lot) -> Draft:
        host = Device.objects.filter(name=str(form.get("host", "")), kind=Device.Kind.HOST).first()
        if host is None:
            return Draft(
                "Fix uplink binding",
                checks=[Check("host is known", STOP, f"There is no host “{form.get('host', '')}”.")],
            )
        fix = fixes_for([host]).get(host.name)
        if fix is None:
            check = Check("something to fix", STOP, f"Every storage interface of {host.name} has exactly one uplink.")
            return Draft(f"Fix uplink binding of {host.name}", checks=[check])
        found = find_paths_steps(host, _iscsi_arrays(host, fix), (0,), 1)
        seen = sum(len(device.paths) for device in HostDevice.objects.filter(device=host))
        facts = {f"uplinks of {fix.params['interface']}": fix.detail}
        return Draft(
            f"Fix uplink binding of {host.name}",
            [fix, *found],
            {"host": host.name, "paths": seen},
            [carried_check(host, [fix.params["interface"]])],
            facts,
        )

    def outcome(self, lot: Lot) -> dict[str, Any]:
        """Paths before and after."""
        seen = sum(len(device.paths) for device in HostDevice.objects.filter(device__name=lot.plan["host"]))
        row = {
            "subject_kind": "host",
            "subject": lot.plan["host"],
            "figure": "paths",
            "before": lot.plan["paths"],
            "predicted": None,
            "measured": seen,
            "note": "",
        }
        return {"rows": [row]}
