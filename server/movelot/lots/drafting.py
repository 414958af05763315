"""Drafts: what a lot's kind makes of what a person typed, kept as steps; and the checks before a run."""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict
from typing import Any

from django.db import transaction
from django.utils.timezone import now

from movelot.accounts.models import User
from movelot.inventory.bulk import insert
from movelot.inventory.models import Device
from movelot.lots.documents import LotForm, demand_names, dumped, form_of
from movelot.lots.history import demand_seen, keep_version
from movelot.lots.holding import held_against, short_of_room, why_held
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, kind_of
from movelot.lots.models import Lot, Step
from movelot.lots.pace import Paces, routes_of
from movelot.lots.step_plan import StepPlan
from movelot.problems import Problem
from movelot_core.lots import StepGraph, StepNode, barrier
from movelot_core.step_keys import MARK_LENGTH, step_key
from movelot_core.units import count_of

DRAFTS_LOOKED_AT = 30
# Steps at once on a device, and copies from or to a datastore.
LANE_LIMIT = 4
DATASTORE_LIMIT = 2


def dropped(lot: Lot) -> Problem:
    """Somebody dropped the lot while it was asked for."""
    return Problem(404, "not_found", f"Lot {lot.pk} was dropped meanwhile.", hint="Draft it anew.")


def read_form(kind: str, given: object) -> LotForm:
    """The form of a kind of lot as it was typed. Problem 422 with the field named for one that does not fit."""
    form: LotForm = form_of(kind_of(kind).form, given)
    demand_names(form)
    return form


def new_draft(kind: str, given: dict[str, Any], user: User, begun_from: dict[str, Any] | None = None) -> Lot:
    """A lot in draft: the person's own that was begun from the same form, brought up to date, else a new one.

    ``begun_from`` is what the person typed, where more was computed into the form.
    Problem 422 with the field named for a form that does not fit its kind.
    """
    lot_kind, typed = kind_of(kind), dumped(read_form(kind, given))
    origin = typed if begun_from is None else begun_from
    own = Lot.objects.filter(kind=kind, state=Lot.State.DRAFT, created_by=user)
    same = next(
        (lot for lot in own[:DRAFTS_LOOKED_AT] if lot.origin == origin and not (lot.steps.exists() and not given)), None
    )
    with transaction.atomic():
        lot = same or Lot(kind=kind, title="New lot", origin=origin, created_by=user)
        lot.form, lot.documents_version = typed, lot_kind.documents_version
        lot.save()
        return redraft(lot, user)


def set_form(lot: Lot, given: object, by: User, seen: str | None = None) -> Lot:
    """Keep what ``by`` typed and compute the lot anew.

    Problem 422 with the field named for what does not fit, 412 when the lot is not the version ``seen``.
    """
    demand_seen(lot, seen)
    form = read_form(lot.kind, given)
    lot.form, lot.documents_version = dumped(form), kind_of(lot.kind).documents_version
    return redraft(lot, by, seen)


def redraft(lot: Lot, by: User | None = None, seen: str | None = None) -> Lot:
    """Compute the lot anew from its form, as ``by`` typed it, and the reading as it is; replaces its steps.

    Only drafts can be, and only as the version ``seen``, if that is said.
    """
    kind = kind_of(lot.kind)
    draft = kind.drafted(kind.form_of(lot), lot)
    draft.checks = [*draft.checks, *_common_checks(lot, draft)]
    with transaction.atomic():
        locked = Lot.objects.select_for_update().filter(pk=lot.pk).first()
        if locked is None:
            raise dropped(lot)
        if locked.state != Lot.State.DRAFT:
            raise Problem(
                409,
                "not_a_draft",
                f"Lot {lot.pk} is {locked.state}; only a draft can be changed.",
                hint="Draft a new lot.",
            )
        demand_seen(locked, seen)
        lot.title, lot.facts, lot.checked_at = draft.title, draft.facts, now()
        lot.plan = dumped(draft.plan) if draft.plan else {}
        lot.form = dumped(draft.form) if draft.form else lot.form
        lot.documents_version, lot.lasts_hours = kind.documents_version, draft.lasts_hours
        lot.checks = [asdict(check) for check in draft.checks]
        told = hashlib.sha256(repr((draft.steps.nodes, draft.steps.barriers, draft.steps.limits)).encode()).hexdigest()
        if told != locked.drafted_as:
            lot.steps.all().delete()
            put_steps(lot, draft.steps)
            lot.drafted_as, lot.barriers, lot.limits = told, draft.steps.barriers, draft.steps.limits
            keep_version(lot, len(draft.steps), by)
        lot.save()
    return lot


def devices_named(names: set[str]) -> dict[str, Device]:
    """Devices by name: the one that is there, else the one that was, so that steps on it can be told of."""
    rows = Device.known.filter(name__in=names).order_by("-unlinked")
    return {device.name: device for device in rows}


def put_steps(lot: Lot, plan: StepPlan) -> None:
    """Store the steps of ``plan`` with their planned times; the graph is proven to be an order first."""
    specs = plan.specs
    devices = devices_named({spec.device for spec in specs})
    paces = Paces(spec.step.kind for spec in specs)
    seconds = [
        paces.seconds(spec.step.kind, devices[spec.device].pk, spec.seconds, route)
        for spec, route in zip(specs, routes_of([spec.step for spec in specs]), strict=True)
    ]
    nodes = [
        StepNode(str(n), node.spec.device, seconds[n], frozenset(map(str, node.needs)), node.spec.slots)
        for n, node in enumerate(plan.nodes)
    ]
    planned = graph_of(nodes, plan.barriers, plan.limits).schedule()
    # All at once: asking for a few random bytes thousands of times takes longer than anything else here.
    marks = secrets.token_hex(MARK_LENGTH // 2 * len(specs))
    insert(
        Step,
        (
            {
                "lot_id": lot.pk,
                "position": n,
                "key": step_key(lot.pk, n, marks[MARK_LENGTH * n :][:MARK_LENGTH]),
                "kind": spec.step.kind,
                "device_id": devices[spec.device].pk,
                "title": spec.title[:200],
                "detail": spec.detail[:300],
                "params": spec.step.model_dump(mode="json"),
                "params_version": spec.step.params_version,
                "needs": list(needs),
                "undoes": spec.undoes,
                "slots": list(spec.slots),
                "stated_seconds": spec.seconds,
                "estimate_seconds": seconds[n],
                "planned_start": planned[str(n)].start,
                "planned_end": planned[str(n)].end,
                "total_amount": spec.step.amount,
            }
            for n, (spec, needs) in enumerate((node.spec, node.needs) for node in plan.nodes)
        ),
    )


def graph_of(nodes: Iterable[StepNode], barriers: Sequence[Sequence[int]], own_limits: Mapping[str, int]) -> StepGraph:
    """Steps as core's graph, with the limits that the driver keeps; the others are what a lot has."""
    steps = tuple(nodes)
    between = (barrier(str(-n), frozenset(map(str, needs))) for n, needs in enumerate(barriers, 1))
    limits = {slot: own_limits.get(slot, DATASTORE_LIMIT) for node in steps for slot in node.slots}
    return StepGraph((*steps, *between), limits, LANE_LIMIT)


def _common_checks(lot: Lot, draft: Draft[Any, Any]) -> list[Check]:
    """Checks that every lot has: its devices answer, their readings are fresh, no other lot works on them."""
    names = {spec.device for spec in draft.steps.specs}
    named = devices_named(names)
    devices = list(named.values())
    away = [device for device in devices if not device.known_well]
    by_hand = sorted(device.name for device in devices if device.imported)
    checks = [Check("devices answer", STOP, device.trouble) for device in away]
    if by_hand:
        text = f"{count_of(len(by_hand), 'device')} known from a file only; people carry this lot out by its run sheet"
        checks.append(Check("devices answer", WARN, text))
    elif devices and not away:
        oldest = min((device.read_at for device in devices if device.read_at), default=None)
        age = f", oldest reading {(now() - oldest).total_seconds():.0f} s ago" if oldest else ""
        checks.append(
            Check("devices answer", PASS, f"{count_of(len(devices), 'device answers', 'devices answer')}{age}")
        )
    steps = [(named[spec.device], spec.step) for spec in draft.steps.specs if spec.device in named]
    held = held_against(lot, [device.pk for device in devices], steps)
    short = short_of_room(lot, steps)
    checks += [Check("no other lot", STOP, text) for text in ([" ".join(why_held(held))] if held else short)]
    if draft.steps and not held and not short:
        checks.append(Check("no other lot", PASS, "no other lot runs on these devices, or works on the same things"))
    if not draft.steps:
        checks.append(Check("has steps", STOP, "There is nothing to do yet."))
    return checks


def changes_since(lot: Lot, before: dict[str, str]) -> list[str]:
    """Sentences on each fact of the last check that is another one now."""
    facts = {**lot.facts}
    changed = [
        f"{name} was {value}, is {facts[name]}"
        for name, value in before.items()
        if name in facts and facts[name] != value
    ]
    return changed + [f"the plan no longer rests on {name}, {before[name]}" for name in before if name not in facts]
