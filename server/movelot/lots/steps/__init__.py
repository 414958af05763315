"""All step kinds by name, found in the files of this folder: a kind that is written is registered."""

from __future__ import annotations

import importlib
import inspect
import pkgutil
from typing import Any

from movelot.lots.steps.base import StepKind

AnyKind = type[StepKind[Any]]


def _kinds_in(package: str, paths: list[str]) -> dict[str, AnyKind]:
    """Every kind that a module of a package declares. ValueError for two of one name."""
    found: dict[str, AnyKind] = {}
    for info in pkgutil.iter_modules(paths):
        module = importlib.import_module(f"{package}.{info.name}")
        for each in vars(module).values():
            own = inspect.isclass(each) and issubclass(each, StepKind) and each.__module__ == module.__name__
            if not own or inspect.isabstract(each):
                continue
            if each.kind in found:
                raise ValueError(f"Two step kinds are named {each.kind}: {found[each.kind]} and {each}.")
            found[each.kind] = each
    return found


KINDS: dict[str, AnyKind] = _kinds_in(__name__, list(__path__))
