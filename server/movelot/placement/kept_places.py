"""The places for disks as last judged: requests read them, as telling them anew takes seconds in a large estate."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from pydantic import TypeAdapter

from movelot.findings.judging import keep, kept
from movelot.placement.places import Place, places
from movelot_core.placement.facts import PlaceFacts

NAME = "places"


@dataclass(frozen=True)
class KeptPlace:
    """A datastore's facts with the names of its pool and array, empty where it lies on none."""

    facts: PlaceFacts
    pool: str
    array: str


_ALL = TypeAdapter(list[KeptPlace])


def keep_places(found: Sequence[Place], rests_on: str) -> None:
    """Keep the places that were found."""
    keep(NAME, rests_on, _ALL.dump_python(_named(found), mode="json"))


def _named(found: Sequence[Place]) -> list[KeptPlace]:
    return [
        KeptPlace(place.facts, place.pool.name if place.pool else "", place.pool.device.name if place.pool else "")
        for place in found
    ]


def kept_places() -> list[KeptPlace]:
    """The places as last judged, in the order of pools; told anew while there is no policy, as nobody judges them."""
    row = kept(NAME)
    return _ALL.validate_json(row.document) if row else _named(places())
