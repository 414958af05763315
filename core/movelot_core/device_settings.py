"""What hosts keep for each block device they see, and which values are possible."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

# All paths in turn: what a device gets that is new to a host.
USUAL_PATH_POLICY: Final = "RoundRobin"


@dataclass(frozen=True)
class SettingChoice:
    """A value that a setting may have, as hosts name it, as people call it, and what it does."""

    name: str
    label: str
    text: str


@dataclass(frozen=True)
class DeviceSetting:
    """What hosts keep for each device: a choice, or where there are none a whole number of ``unit`` in a range."""

    name: str
    label: str
    text: str
    choices: tuple[SettingChoice, ...]
    unit: str
    least: int
    most: int

    def read(self, given: object) -> str | int | None:
        """The value that a form names; none if it is not one."""
        if self.choices:
            return str(given) if str(given) in {choice.name for choice in self.choices} else None
        try:
            number = int(str(given).strip())
        except ValueError:
            return None
        return number if self.least <= number <= self.most else None

    def expected(self) -> str:
        """What to give, as a sentence."""
        if self.choices:
            return f"Choose one of {', '.join(choice.label for choice in self.choices)}."
        return f"Give a whole number from {self.least} to {self.most} {self.unit}."

    def told(self, value: str | int) -> str:
        """A value in words."""
        labels = {choice.name: choice.label for choice in self.choices}
        return labels[str(value)] if self.choices else f"{self.label} {value}"


SETTINGS = {
    each.name: each
    for each in (
        DeviceSetting(
            "path_policy",
            "path policy",
            "how I/O is spread over the paths",
            (
                SettingChoice("RoundRobin", "round robin", "all active paths in turn"),
                SettingChoice("OnePath", "one path", "one path until it fails"),
                SettingChoice("ShortestQueue", "shortest queue", "the path with least outstanding I/O"),
            ),
            unit="",
            least=0,
            most=0,
        ),
        DeviceSetting(
            "queue_depth",
            "queue depth",
            "I/Os a host keeps outstanding to the device; more wait in the host",
            choices=(),
            unit="I/Os",
            least=1,
            most=256,
        ),
        DeviceSetting(
            "turn_ios",
            "turn length",
            "I/Os down one path before round robin takes the next",
            choices=(),
            unit="I/Os",
            least=1,
            most=4096,
        ),
    )
}
