"""What was done to lots in a soak, and how they ended."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, field


@dataclass
class Tally:
    """Counts of a round, or of many."""

    rounds: int = 0
    lost: int = 0
    kills: int = 0
    halts: int = 0
    processes: Counter[str] = field(default_factory=Counter)
    faults: Counter[str] = field(default_factory=Counter)
    refusals: Counter[str] = field(default_factory=Counter)
    ends: Counter[tuple[str, str]] = field(default_factory=Counter)

    def add(self, other: Tally) -> None:
        """Count another one in."""
        for name, value in vars(other).items():
            setattr(self, name, getattr(self, name) + value)

    def report(self, seed: int) -> None:
        """Print it."""
        print(f"{self.rounds} rounds from seed {seed}: {self.kills} kills, {self.halts} halts, ", end="")
        print(f"{self.lost} with something lost")
        if self.processes:
            print("killed:", ", ".join(f"{name} {count}" for name, count in sorted(self.processes.items())))
        print("faults:", ", ".join(f"{kind} {count}" for kind, count in sorted(self.faults.items())))
        print("refused:", ", ".join(f"{code} {count}" for code, count in sorted(self.refusals.items())))
        for (kind, end), count in sorted(self.ends.items()):
            print(f"  {kind:16} {end:14} {count}")
