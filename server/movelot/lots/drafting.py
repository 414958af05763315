"""Drafts: what a stage computes from what a person typed, kept as steps; and the checks before a run.

Stages register a DraftKind under the name of their lots, so that this room knows no stage.
"""

from __future__ import annotations

import hashlib
import secrets
from abc import ABC, abstractmethod
from dataclasses import asdict, dataclass, field
from typing import Any, ClassVar

from django.db import transaction
from django.utils.timezone import now

from movelot.accounts.models import User
from movelot.inventory.bulk import insert
from movelot.inventory.models import Device
from movelot.lots.history import keep_version
from movelot.lots.models import Lot, Step
from movelot.lots.pace import Paces
from movelot.lots.steps.base import StepSpec
from movelot.problems import Problem
from movelot_core.lots import StepGraph, StepNode

PASS, WARN, STOP = "pass", "warn", "stop"
DRAFTS_LOOKED_AT = 30
# Steps at once on a device, and copies from or to a datastore.
LANE_LIMIT = 4
DATASTORE_LIMIT = 2


@dataclass
class Remedy:
    """A lot that would settle something: a kind and a form for the lots API, and what it would do."""

    kind: str
    form: dict[str, Any]
    action: str


@dataclass(frozen=True)
class Check:
    """One test of a lot before it runs: ``level`` pass, warn or stop, with its reason in a sentence."""

    name: str
    level: str
    text: str


@dataclass
class Draft:
    """What a stage makes of a form: title, steps, what the page shows (``plan``), checks, and the facts relied on."""

    title: str
    steps: list[StepSpec] = field(default_factory=list)
    plan: dict[str, Any] = field(default_factory=dict)
    checks: list[Check] = field(default_factory=list)
    facts: dict[str, str] = field(default_factory=dict)


class DraftKind(ABC):
    """A kind of lot. ``drafted`` computes from the stored reading; ``outcome`` measures after the run."""

    name: ClassVar[str]

    @abstractmethod
    def drafted(self, form: dict[str, Any], lot: Lot) -> Draft:
        """Everything about the lot from its form and the current reading; raises Problem for an impossible form."""

    def reserve(self, lot: Lot) -> None:  # noqa: B027  (most kinds hold nothing)
        """Take what only one lot may have, in the transaction that starts ``lot``; raises Problem when it is taken."""

    def outcome(self, lot: Lot) -> dict[str, Any]:
        """What was predicted beside what is measured now that the lot has ended."""
        return {}


REGISTRY: dict[str, DraftKind] = {}


def register(kind: DraftKind) -> None:
    """Make ``kind`` known; called by each stage when the application starts."""
    REGISTRY[kind.name] = kind


def kind_of(name: str) -> DraftKind:
    found = REGISTRY.get(name)
    if found is None:
        raise Problem(
            422, "kind_unknown", f"There is no lot of kind “{name}”.", hint=f"Use one of {', '.join(sorted(REGISTRY))}."
        )
    return found


def new_draft(kind: str, form: dict[str, Any], user: User) -> Lot:
    """A lot in draft: the person's own that was begun from the same form, brought up to date, else a new one."""
    kind_of(kind)
    own = Lot.objects.filter(kind=kind, state=Lot.State.DRAFT, created_by=user)
    same = next(
        (lot for lot in own[:DRAFTS_LOOKED_AT] if lot.origin == form and not (lot.steps.exists() and not form)), None
    )
    if same is not None:
        same.form = {**form}
        return redraft(same, user)
    with transaction.atomic():
        lot = Lot.objects.create(kind=kind, title="New lot", form={**form}, origin=form, created_by=user)
        return redraft(lot, user)


def redraft(lot: Lot, by: User | None = None) -> Lot:
    """Compute the lot anew from its form, as ``by`` typed it, and the reading as it is; replaces its steps. Only drafts
    can be."""
    draft = kind_of(lot.kind).drafted(lot.form, lot)
    draft.checks = [*draft.checks, *_common_checks(lot, draft)]
    with transaction.atomic():
        locked = Lot.objects.select_for_update().get(pk=lot.pk)
        if locked.state != Lot.State.DRAFT:
            raise Problem(
                409,
                "not_a_draft",
                f"Lot {lot.pk} is {locked.state}; only a draft can be changed.",
                hint="Draft a new lot.",
            )
        lot.title, lot.plan, lot.facts, lot.checked_at = draft.title, draft.plan, draft.facts, now()
        lot.checks = [asdict(check) for check in draft.checks]
        told = hashlib.sha256(repr(draft.steps).encode()).hexdigest()
        if told != locked.drafted_as:
            lot.steps.all().delete()
            put_steps(lot, draft.steps)
            lot.drafted_as = told
            keep_version(lot, len(draft.steps), by)
        lot.save()
    return lot


def devices_named(names: set[str]) -> dict[str, Device]:
    """Devices by name: the one that is there, else the one that was, so that steps on it can be told of."""
    rows = Device.known.filter(name__in=names).order_by("-unlinked")
    return {device.name: device for device in rows}


def put_steps(lot: Lot, specs: list[StepSpec]) -> None:
    """Store ``specs`` as the lot's steps with their planned times; the graph is proven to be an order first."""
    devices = devices_named({spec.device for spec in specs})
    paces = Paces(spec.kind for spec in specs)
    seconds = [paces.seconds(spec.kind, devices[spec.device].pk, spec.seconds) for spec in specs]
    nodes = (
        StepNode(str(n), spec.device, seconds[n], frozenset(map(str, spec.needs)), spec.slots)
        for n, spec in enumerate(specs)
    )
    planned = graph_of(tuple(nodes)).schedule()
    insert(
        Step,
        (
            {
                "lot_id": lot.pk,
                "position": n,
                "key": f"lot-{lot.pk}-{n}-{secrets.token_hex(4)}",
                "kind": spec.kind,
                "device_id": devices[spec.device].pk,
                "title": spec.title[:200],
                "detail": spec.detail[:300],
                "params": dict(spec.params),
                "needs": list(spec.needs),
                "slots": list(spec.slots),
                "stated_seconds": spec.seconds,
                "estimate_seconds": seconds[n],
                "planned_start": planned[str(n)].start,
                "planned_end": planned[str(n)].end,
                "total_amount": float(spec.params.get("size_bytes", 0)) if spec.kind == "move_disk" else 0,
            }
            for n, spec in enumerate(specs)
        ),
    )


def graph_of(nodes: tuple[StepNode, ...]) -> StepGraph:
    """Steps as core's graph, with the limits that the driver keeps."""
    return StepGraph(nodes, {slot: DATASTORE_LIMIT for node in nodes for slot in node.slots}, LANE_LIMIT)


def _common_checks(lot: Lot, draft: Draft) -> list[Check]:
    """Checks that every lot has: its devices answer, their readings are fresh, no other lot works on them."""
    names = {spec.device for spec in draft.steps}
    devices = list(devices_named(names).values())
    away = [device for device in devices if not device.known_well]
    by_hand = sorted(device.name for device in devices if device.imported)
    checks = [Check("devices answer", STOP, device.trouble) for device in away]
    if by_hand:
        text = f"{_counted(len(by_hand), 'device')} known from a file only; people carry this lot out by its run sheet"
        checks.append(Check("devices answer", WARN, text))
    elif devices and not away:
        oldest = min((device.read_at for device in devices if device.read_at), default=None)
        age = f", oldest reading {(now() - oldest).total_seconds():.0f} s ago" if oldest else ""
        checks.append(Check("devices answer", PASS, f"{_counted(len(devices), 'device')} answer{age}"))
    busy = (
        Lot.objects.filter(state__in=[Lot.State.RUNNING, Lot.State.HALTING], steps__device__in=devices)
        .exclude(pk=lot.pk)
        .distinct()
        .first()
    )
    if busy:
        checks.append(Check("no other lot", STOP, f"Lot {busy.pk} runs on the same devices. Wait until it has ended."))
    elif draft.steps:
        checks.append(Check("no other lot", PASS, "no other lot runs on these devices"))
    if not draft.steps:
        checks.append(Check("has steps", STOP, "There is nothing to do yet."))
    return checks


def _counted(count: int, noun: str) -> str:
    return f"{count} {noun}{'' if count == 1 else 's'}"


def changes_since(lot: Lot, before: dict[str, str]) -> list[str]:
    """Sentences on each fact of the last check that is another one now."""
    facts = {**lot.facts}
    changed = [
        f"{name} was {value}, is {facts[name]}"
        for name, value in before.items()
        if name in facts and facts[name] != value
    ]
    return changed + [f"{name} is no longer there" for name in before if name not in facts]
