"""Typed values of steps: what a kind is told (its params), what it tells (its result), and what is told later.

Both are pydantic models rather than dataclasses: they are kept as JSON for years, and what comes back from there is
checked as strictly as what a stage writes, with the field named where it does not fit.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Annotated, Any, TypeVar

from pydantic import (
    BaseModel,
    ConfigDict,
    SerializerFunctionWrapHandler,
    ValidatorFunctionWrapHandler,
    WrapSerializer,
    WrapValidator,
)

T = TypeVar("T")


@dataclass(frozen=True)
class Told:
    """A value that the step numbered ``step`` of the same lot tells in the ``field`` of its result."""

    step: int
    field: str

    def document(self) -> dict[str, Any]:
        return {"step": self.step, "field": self.field}


def _or_told(value: Any, handler: ValidatorFunctionWrapHandler) -> Any:
    if isinstance(value, Told):
        return value
    if isinstance(value, dict) and value.keys() == {"step", "field"}:
        return Told(**value)
    return handler(value)


def _as_document(value: Any, handler: SerializerFunctionWrapHandler) -> Any:
    return value.document() if isinstance(value, Told) else handler(value)


# A param that another step may tell: a plain value by the time its step runs.
Later = Annotated[T, WrapValidator(_or_told), WrapSerializer(_as_document)]


class Document(BaseModel):
    """A typed document: no unknown keys, nothing converted in silence."""

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True)


class Result(Document):
    """What a step tells once it is done."""


class Nothing(Result):
    """The result of steps that tell nothing."""


def filled(document: Mapping[str, Any], result_of: Callable[[int], Mapping[str, Any]]) -> dict[str, Any]:
    """``document`` with what steps told put in where it is named, in lists too. KeyError for a step without result."""

    def put_in(value: Any) -> Any:
        if isinstance(value, list):
            return [put_in(each) for each in value]
        named = isinstance(value, dict) and value.keys() == {"step", "field"}
        return result_of(value["step"])[value["field"]] if named else value

    return {name: put_in(value) for name, value in document.items()}
