"""What core raises. Each error carries its data, so that any interface can phrase it.

CoreError
├── SizeError        a text that is not a usable size
├── DatastoreNameError       a name that a device would refuse
├── GraphError       steps that do not form an order
├── LabelError       a label that is none
├── RequirementError  a requirement of a policy whose kind or value is none
└── GroupError      arrays of a group that do not fit one another
"""

from __future__ import annotations


class CoreError(ValueError):
    """Base of all errors of core. ``code`` is stable, ``hint`` says the way on."""

    def __init__(self, code: str, message: str, hint: str = "") -> None:
        super().__init__(message)
        self.code = code
        self.message = message
        self.hint = hint


class SizeError(CoreError):
    """A size that cannot be read or used."""


class CapacityError(CoreError):
    """Samples or figures of capacity that cannot be put together."""


class DatastoreNameError(CoreError):
    """A name that devices would refuse or that is taken."""


class GraphError(CoreError):
    """Steps whose precedence is not an order."""


class GroupError(CoreError):
    """Arrays of a group whose shapes or indices disagree, or that hold what is no number."""


class LabelError(CoreError):
    """A label that is none."""


class RequirementError(CoreError):
    """A requirement of a policy that is none."""
