"""Forms and plans of lots: dataclasses that are declared once, kept as JSON, and answered as they are.

A form is read strictly: an unknown key, a value of another type or a name that nothing has is refused with the field
named, so that nothing is done to another thing than was meant. What an older release kept is upgraded when it is read.
Dataclasses rather than pydantic's models, as the API's serializers are made from them; pydantic does the reading.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Hashable, Iterator
from dataclasses import field, fields
from functools import lru_cache
from typing import Any, ClassVar, TypeVar, cast

from pydantic import ConfigDict, TypeAdapter, ValidationError

from movelot.inventory.models import BalanceGroup, Cluster, Datastore, Device, Disk, Machine, Pool, Volume
from movelot.problems import Problem

D = TypeVar("D")
LONGEST_TEXT = 253


class LotForm:
    """Base of the dataclasses that say what a person fills in for a kind of lot."""

    __pydantic_config__: ClassVar[ConfigDict] = ConfigDict(extra="forbid", strict=True, str_max_length=LONGEST_TEXT)


class LotPlan:
    """Base of the dataclasses that say what a form comes to; what a later release added may be missing in old ones."""

    __pydantic_config__: ClassVar[ConfigDict] = ConfigDict(extra="ignore")


# What a field of a form may name, by noun: whether there is one.
KNOWN: dict[str, Callable[[Any], bool]] = {
    "cluster": lambda name: Cluster.objects.filter(name=name).exists(),
    "group": lambda name: BalanceGroup.named(name) is not None,
    "host": lambda name: Device.objects.filter(name=name, kind=Device.Kind.HOST).exists(),
    "array": lambda name: Device.objects.filter(name=name, kind=Device.Kind.ARRAY).exists(),
    "device": lambda name: Device.objects.filter(name=name).exists(),
    "pool": lambda key: Pool.objects.filter(pk=key).exists(),
    "datastore": lambda key: Datastore.objects.filter(pk=key).exists(),
    "volume": lambda key: Volume.objects.filter(pk=key).exists(),
    "machine": lambda key: Machine.objects.filter(pk=key).exists(),
    "disk": lambda key: Disk.objects.filter(pk=key).exists(),
}


def names(noun: str, default: Any = "") -> Any:
    """A field that names a thing of this kind; its default names none."""
    return field(default=default, metadata={"names": noun})


@lru_cache
def _adapter(declared: Any) -> TypeAdapter[Any]:
    return TypeAdapter(declared)


def read(declared: type[D], document: Any) -> D:
    """``document`` as what was declared. Raises pydantic's ValidationError."""
    # As JSON: only so does strict reading take objects for what is declared.
    return cast(D, _adapter(cast("Hashable", declared)).validate_json(json.dumps(document)))


def dumped(document: object) -> dict[str, Any]:
    """A form or plan as JSON values."""
    return cast("dict[str, Any]", _adapter(cast("Hashable", type(document))).dump_python(document, mode="json"))


def form_of(declared: type[D], given: object) -> D:
    """A form as it was typed. Problem 422 with each field that does not fit."""
    try:
        return read(declared, given)
    except ValidationError as error:
        raise misfit(_said(error, declared)) from error


def demand_names(form: LotForm) -> None:
    """Problem 422 for each field that names a thing which is not there."""
    wrong = {
        name: [f"There is no {noun} “{value}”."]
        for name, noun, value in _named(form)
        if value and not KNOWN[noun](value)
    }
    if wrong:
        raise misfit(wrong)


def _named(form: LotForm, within: str = "") -> Iterator[tuple[str, str, Any]]:
    """Each field that names something: its own name, the noun, and what was typed."""
    for each in fields(form):  # type: ignore[arg-type]  # forms are dataclasses
        value, name = getattr(form, each.name), f"{within}{each.name}"
        if isinstance(value, LotForm):
            yield from _named(value, f"{name}.")
        elif "names" in each.metadata:
            yield name, each.metadata["names"], value


def misfit(wrong: dict[str, list[str]]) -> Problem:
    """The problem of a form with what is wrong by field."""
    detail = " ".join(f"{name}: {' '.join(texts)}" for name, texts in wrong.items())
    return Problem(422, "form_invalid", "The form does not fit.", detail, "Nothing was stored.", fields=wrong)


def _said(error: ValidationError, declared: type[Any]) -> dict[str, list[str]]:
    """What is wrong, by field, for people."""
    known = ", ".join(each.name for each in fields(declared)) or "none"
    wrong: dict[str, list[str]] = {}
    for each in error.errors(include_url=False):
        name = ".".join(map(str, each["loc"])) or "form"
        unknown = each["type"] in ("unexpected_keyword_argument", "extra_forbidden")
        text = f"There is no such field; there are {known}." if unknown else f"{each['msg']}."
        wrong.setdefault(name, []).append(text)
    return wrong
