"""Families whose members are found in the files of a folder: one that is written is registered."""

from __future__ import annotations

import importlib
import inspect
import pkgutil
from collections.abc import Iterable, Iterator
from typing import TypeVar

T = TypeVar("T")


def members_in(package: str, paths: Iterable[str], contract: type[T]) -> Iterator[type[T]]:
    """Every concrete class of a ``contract`` that a module of the folder declares; what it only imports is left out."""
    for info in pkgutil.iter_modules(paths):
        module = importlib.import_module(f"{package}.{info.name}")
        for each in vars(module).values():
            declared = inspect.isclass(each) and each.__module__ == module.__name__
            if declared and issubclass(each, contract) and each is not contract and not inspect.isabstract(each):
                yield each
