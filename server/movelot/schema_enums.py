"""Which texts of the API's answers are one of a few: states, levels, verdicts and kinds, as unions in the schema."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, Final

from movelot.accounts.models import Role
from movelot.inventory.models import Device
from movelot.jobs.models import Job
from movelot.lots.kinds import PASS, STOP, WARN
from movelot.lots.models import Lot, Step
from movelot.policies.answers import SCOPES
from movelot_core.attach import Verdict
from movelot_core.fabric.loss import Effect
from movelot_core.fabric.reach import ReachState
from movelot_core.placement.requirements.base import Answer
from movelot_core.rounds import Urgency

# By the name in the schema: the values, and the properties that have one of them.
ENUMS: Final[dict[str, tuple[Iterable[str], tuple[str, ...]]]] = {
    "LotState": (Lot.State.values, ("LotSummary.state", "LastLot.state")),
    "StepState": (Step.State.values, ("StepAnswer.state",)),
    "CheckLevel": ((PASS, WARN, STOP), ("CheckAnswer.level",)),
    "JobState": (Job.State.values, ("JobAnswer.state",)),
    "DeviceKind": (Device.Kind.values, ("DeviceAnswer.kind",)),
    "DeviceState": (Device.State.values, ("DeviceAnswer.state",)),
    "Urgency": (Urgency, ("FindingAnswer.urgency",)),
    "Verdict": (Verdict, ("PoolRow.verdict",)),
    "LossEffect": ((Effect.STOPS, Effect.THINNER), ("LostMachine.effect",)),
    "PathState": (("active", "other", "standby", "missing"), ("BoardPath.state",)),
    "ReachState": (ReachState, ("ReachCell.state",)),
    "FitAnswer": (Answer, ("FitCell.answer", "CellAnswer.answer")),
    "EditorHow": (("number", "choice", "text"), ("RequirementKind.how",)),
    "GivenScope": ((*SCOPES, "label"), ("GivenAnswer.scope",)),
    "RoleName": (("", *Role.values), ("Session.role",)),
}


def with_enums(result: dict[str, Any], generator: Any, request: Any, public: bool) -> dict[str, Any]:
    """Name the values in the schema. KeyError for a property that is not there any more."""
    schemas = result["components"]["schemas"]
    for name, (values, properties) in ENUMS.items():
        schemas[name] = {"type": "string", "enum": list(map(str, values))}
        for each in properties:
            schema, _, field = each.partition(".")
            old = schemas[schema]["properties"][field]
            schemas[schema]["properties"][field] = {**old, "$ref": f"#/components/schemas/{name}"}
            schemas[schema]["properties"][field].pop("type")
    return result
