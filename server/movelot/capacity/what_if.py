"""What people think of: acts in words, what they come to on datastores and pools, and how every row would stand."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Literal

from django.db.models import F, Sum
from django.db.models.functions import Coalesce
from pydantic import TypeAdapter

from movelot.capacity.rows import CURVES as CURVES_NAME
from movelot.capacity.rows import KEPT_CURVES, KEPT_MEMBERS, MEMBERS, ROWS, CapacityRow, forecast_of
from movelot.capacity.rows import NAME as ROWS_NAME
from movelot.findings.judging import kept, kept_version
from movelot.inventory.models import Datastore, Disk, Machine, Pool
from movelot.inventory.placement import pools_by_store
from movelot.problems import Problem
from movelot_core.capacity.what_if import Effect, Standing, Thing, answered, spread
from movelot_core.units import count_of, format_size

HAPPENINGS_MAX = 20
What = Literal["comes", "room", "machines", "retired"]


@dataclass
class Happening:
    """What happens to a datastore or pool (``kind`` and ``id``) in so many days.

    Bytes that come in, or room that it gets; ``count`` machines like the machine ``like``, by its primary key; or it is
    retired, and what lies on it goes elsewhere in what it is part of.
    """

    what: What
    kind: Literal["datastore", "pool"]
    id: int
    in_days: int
    size_bytes: int
    count: int
    like: int | None


@dataclass
class Asked:
    """Growth so many times as fast as now, and what else happens."""

    growth: float
    acts: list[Happening]


NOTHING = Asked(1.0, [])
ASKED = TypeAdapter(Asked)


class Answers:
    """Rows, forecasts and what rows consist of, as last judged, for any number of questions."""

    def __init__(self) -> None:
        found, curves, members = kept(ROWS_NAME), kept(CURVES_NAME), kept(MEMBERS)
        self.rows = ROWS.validate_json(found.document) if found else []
        self.curves = KEPT_CURVES.validate_json(curves.document) if curves else {}
        self.members = KEPT_MEMBERS.validate_json(members.document) if members else {}
        self.sizes = {(row.kind, row.id): row.capacity_bytes for row in self.rows if row.kind in ("pool", "datastore")}
        self.names = {(row.kind, row.id): row.name for row in self.rows}
        self.pool_of = pools_by_store()
        self.stores_on: dict[int, list[int]] = defaultdict(list)
        for store, pool in self.pool_of.items():
            self.stores_on[pool].append(store)

    def __repr__(self) -> str:
        return f"<Answers for {len(self.rows)} rows>"

    def of(self, by: str, asked: Asked) -> list[CapacityRow]:
        """The rows of a kind as they would be; one that is retired is left out."""
        effects = [self.effect(act) for act in asked.acts]
        gone = {(act.kind, act.id) for act in asked.acts if act.what == "retired"}
        gone |= {("datastore", store) for kind, pool in gone if kind == "pool" for store in self.stores_on[pool]}
        there = [row for row in self.rows if row.kind == by and (row.kind, row.id) not in gone]
        return [self._then(row, asked.growth, effects) for row in there]

    def _then(self, row: CapacityRow, growth: float, effects: Sequence[Effect]) -> CapacityRow:
        curve = self.curves.get(f"{row.kind}-{row.id}")
        now = Standing(row.used_bytes, row.capacity_bytes, row.ceiling, forecast_of(curve) if curve else None)
        then = answered(now, self._members(row), growth, effects)
        return replace(
            row,
            used_bytes=then.used_bytes,
            capacity_bytes=then.capacity_bytes,
            growth_bytes=row.growth_bytes if then.growth_bytes is None else round(then.growth_bytes),
            early=then.runway.early,
            likely=then.runway.likely,
            late=then.runway.late,
        )

    def _members(self, row: CapacityRow) -> frozenset[Thing]:
        if row.kind in ("pool", "datastore"):
            return frozenset({(row.kind, row.id)})
        kind = "pool" if row.kind == "array" else "datastore"
        return frozenset((kind, key) for key in self.members.get(f"{row.kind}-{row.id}", ()))

    def effect(self, act: Happening) -> Effect:
        """What an act comes to. Problem 422 where what it names is no longer there."""
        thing: Thing = (act.kind, act.id)
        if thing not in self.sizes:
            text = f"The {act.kind} of “{said(act)}” is no longer there."
            raise Problem(422, "gone", text, "Nothing was computed.", "Take it out of the what-if.")
        match act.what:
            case "room":
                return Effect(act.in_days, {}, {thing: act.size_bytes})
            case "retired":
                return Effect(act.in_days, {}, {each: -self.sizes[each] for each in self._with(thing)})
            case "machines":
                return Effect(act.in_days, self._comes(thing, act.count * machine_bytes(act.like)), {})
        return Effect(act.in_days, self._comes(thing, act.size_bytes), {})

    def _with(self, thing: Thing) -> Iterable[Thing]:
        """A pool with the datastores on it."""
        kind, key = thing
        return [thing, *(("datastore", store) for store in self.stores_on[key])] if kind == "pool" else [thing]

    def _comes(self, thing: Thing, size: int) -> dict[Thing, int]:
        """What comes into a datastore comes into its pool; what comes into a pool, into its datastores by size."""
        kind, key = thing
        if kind == "datastore":
            pool = self.pool_of.get(key)
            return {thing: size} | ({("pool", pool): size} if pool is not None else {})
        stores: list[Thing] = [("datastore", store) for store in self.stores_on[key]]
        return {thing: size} | spread(size, ((store, self.sizes.get(store, 0)) for store in stores))


def answers() -> Answers:
    """As last judged; read once, as a page asks again with every key that is typed."""
    return _answers(kept_version(ROWS_NAME))


@lru_cache(maxsize=1)
def _answers(_judged: str) -> Answers:
    return Answers()


def machine_bytes(key: int | None) -> int:
    """What a machine's disks have written. Problem 422 for one that is not there."""
    if not Machine.objects.filter(pk=key or 0).exists():
        raise Problem(
            422, "gone", "The machine that others are to be like is no longer there.", "Nothing was computed."
        )
    written = Sum(Coalesce(F("written_bytes"), F("size_bytes")))
    return int(Disk.objects.filter(machine=key, placement__isnull=False).aggregate(sum=written)["sum"] or 0)


def said(act: Happening, name: str = "", like: str = "") -> str:
    """An act in words; ``name`` is what it is of, ``like`` the machine that others are like."""
    when = f" in {count_of(act.in_days, 'day')}" if act.in_days else ""
    of = name or f"{act.kind} {act.id}"
    match act.what:
        case "room":
            verb = "less" if act.size_bytes < 0 else "more"
            return f"{format_size(abs(act.size_bytes))} {verb} room in {of}{when}"
        case "retired":
            return f"{of} retired{when}"
        case "machines":
            return f"{count_of(act.count, 'machine')} like {like or 'one'} on {of}{when}"
    if act.size_bytes < 0:
        return f"{format_size(-act.size_bytes)} leave {of}{when}"
    return f"{format_size(act.size_bytes)} more in {of}{when}"


def all_said(asked: Asked) -> list[str]:
    """All that is asked, in words."""
    words = happenings_said(asked.acts)
    return [f"growth {asked.growth:g} times as fast", *words] if asked.growth != 1 else words


def happenings_said(acts: Sequence[Happening]) -> list[str]:
    """Each thing that happens, in words."""
    names: dict[Thing, str] = {("datastore", key): name for key, name in _named(Datastore, acts, "datastore")}
    names |= {("pool", key): name for key, name in _named(Pool, acts, "pool")}
    likes = dict(Machine.known.filter(pk__in=[act.like for act in acts if act.like]).values_list("pk", "name"))
    return [said(act, names.get((act.kind, act.id), ""), likes.get(act.like or 0, "")) for act in acts]


def _named(model: type[Datastore] | type[Pool], acts: Sequence[Happening], kind: str) -> Iterable[tuple[int, str]]:
    keys = [act.id for act in acts if act.kind == kind]
    return model.known.filter(pk__in=keys).values_list("pk", "name")
