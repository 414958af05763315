"""The state file: the whole world as JSON, replaced atomically."""

from __future__ import annotations

import types
import typing
from dataclasses import fields, is_dataclass
from pathlib import Path
from typing import Any, TypeVar

import orjson

from movelot_standins.model import World

T = TypeVar("T")


def save(world: World, path: Path) -> None:
    """Write ``world`` so that a kill at any instant leaves the old or the new state whole.

    It is written at each change, so by orjson, which writes dataclasses as they are; and not waited for until it is on
    a drive: a simulated device need not outlive the machine that simulates it.
    """
    temporary = path.with_suffix(".new")
    temporary.write_bytes(orjson.dumps(world))
    temporary.replace(path)


def load(path: Path) -> World:
    """The world as last saved."""
    return _build(World, orjson.loads(path.read_bytes()))


def _build(kind: type[T], value: Any) -> T:
    """``value`` from JSON as the dataclass ``kind``, nested ones included."""
    hints = typing.get_type_hints(kind)
    given = {f.name: _convert(hints[f.name], value[f.name]) for f in fields(kind) if f.name in value}  # type: ignore[arg-type]
    return kind(**given)


def _convert(hint: Any, value: Any) -> Any:
    if is_dataclass(hint):
        return _build(hint, value)  # type: ignore[arg-type]
    origin, inner = typing.get_origin(hint), typing.get_args(hint)
    if origin is list:
        return [_convert(inner[0], item) for item in value]
    if origin is tuple:
        return tuple(value)
    if origin in (types.UnionType, typing.Union):
        return value
    return value
