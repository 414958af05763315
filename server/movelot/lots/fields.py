"""Fields of forms as people type them: what they mean, and what is wrong beside each."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar

from movelot_core.errors import CoreError

T = TypeVar("T")


@dataclass
class FieldProblem:
    """What is wrong with a field of the form, and what to type."""

    field: str
    code: str
    message: str
    hint: str


def read_field(problems: list[FieldProblem], name: str, text: str, parse: Callable[[str], T]) -> T | None:
    """What is typed in a field; None where nothing is, or what is wrong was put to ``problems``."""
    if not text.strip():
        return None
    try:
        return parse(text)
    except CoreError as error:
        problems.append(FieldProblem(name, error.code, error.message, error.hint))
        return None
