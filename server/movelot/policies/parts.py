"""How machines' own files and their snapshots stand to policies, each judged apart from the disks."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from movelot.findings.base import Found, Subject
from movelot.inventory.bulk import insert
from movelot.inventory.models import Compliance, Datastore, Machine, MachineSnapshot, PartCompliance, SnapshotPart
from movelot.placement.policies import Given, Had, PolicyInForce, fits_of, stands
from movelot.policies.findings import PARTS_OUT
from movelot.policies.findings.parts_out import PartsOutEvidence
from movelot_core.placement.facts import PlaceFacts
from movelot_core.placement.policies import Because, Fit

FILES, SNAPSHOTS = "own files", "snapshots"
NAMES_SAID = 3
# As many machines as one lot moves the files of.
MOVED_AT_ONCE = 200
COLUMNS = ("policy_id", "because", "state", "reason")
WORST = (Compliance.State.OUT, Compliance.State.UNKNOWN, Compliance.State.IN)


@dataclass(frozen=True)
class Part:
    """The own files of a machine, or a snapshot of it (by its primary key), with where it lies and its policy.

    ``named`` is what people call it, ``store`` None where no host tells where it lies.
    """

    machine: int
    snapshot: int | None
    named: str
    store: int | None
    policy: int
    because: Because

    @property
    def of(self) -> tuple[int | None, int | None]:
        """What a row is about: the machine for its files, or the snapshot."""
        return (None, self.snapshot) if self.snapshot else (self.machine, None)


@dataclass(frozen=True)
class PartStanding:
    """A part with how it stands to its policy."""

    part: Part
    state: Compliance.State
    reason: str


class PartJudge:
    """Judges parts by what policies ask beside what is set on disks."""

    def __init__(self, policies: Sequence[PolicyInForce], facts: Mapping[int, PlaceFacts]) -> None:
        self.fits = {each.row.pk: fits_of(each.asked.beside_disks, facts) for each in policies}
        self.policies, self.facts = policies, facts

    def __repr__(self) -> str:
        return f"<PartJudge of {len(self.policies)} policies>"

    def judged(self, given: Given, disks: Sequence[Had]) -> list[PartStanding]:
        """All own files and snapshots that have a policy; a snapshot by the worst of what it holds."""
        stores = dict(Datastore.objects.values_list("identity", "pk"))
        found = [self._stands(part) for part in _files(given, stores)]
        worst: dict[int, PartStanding] = {}
        for part in _held(given, disks, stores):
            each, known = self._stands(part), worst.get(part.snapshot or 0)
            if known is None or WORST.index(each.state) < WORST.index(known.state):
                worst[part.snapshot or 0] = each
        return [*found, *worst.values()]

    def _stands(self, part: Part) -> PartStanding:
        fit: Fit | None = self.fits[part.policy].get(part.store or 0)
        return PartStanding(part, *stands(fit))

    def out(self, parts: Sequence[PartStanding]) -> Iterator[Found[PartsOutEvidence]]:
        """A finding for each policy on each datastore that does not serve it, files and snapshots apart.

        A snapshot that has the policy of its disks, and lies beside them, is told of by what is found of these.
        """
        out: dict[tuple[int, int, str], list[Part]] = defaultdict(list)
        for each in parts:
            part = each.part
            if each.state is Compliance.State.OUT and (not part.snapshot or part.because is Because.SNAPSHOTS):
                out[part.policy, part.store or 0, SNAPSHOTS if part.snapshot else FILES].append(part)
        named = {policy.row.pk: policy.row.name for policy in self.policies}
        for (policy, store, what), there in sorted(out.items()):
            evidence = PartsOutEvidence(
                what=what,
                datastore=self.facts[store].name,
                count=len(there),
                names=[part.named for part in there[:NAMES_SAID]],
                lacks=self.fits[policy][store].reasons,
                machines=list(dict.fromkeys(part.machine for part in there))[:MOVED_AT_ONCE],
                served=any(fit.serves for fit in self.fits[policy].values()),
            )
            subject = Subject("policy", policy, named[policy])
            yield Found(PARTS_OUT, subject, evidence, f"{what} on {evidence.datastore}")


def _files(given: Given, stores: Mapping[str, int]) -> Iterator[Part]:
    """Own files that have a policy; those of machines whose host does not tell where they are, are not known of."""
    rows = Machine.objects.exclude(home="").order_by("pk")
    for machine, name, home, cluster in rows.values_list("pk", "name", "home", "placement__host__cluster_id"):
        store = stores.get(home)
        counts = given.to_files(machine, store, cluster)
        if counts:
            yield Part(machine, None, name, store, counts[1], counts[0])


def _held(given: Given, disks: Sequence[Had], stores: Mapping[str, int]) -> Iterator[Part]:
    """What each snapshot holds of each disk, by the policy of the machine's snapshots, else by that of the disk."""
    had = {each.disk: each for each in disks}
    columns = "snapshot_id", "disk_id", "snapshot__machine_id", "snapshot__machine__name", "snapshot__name"
    rows = SnapshotPart.objects.order_by("snapshot_id", "disk__name", "disk_id")
    for snapshot, disk, machine, name, called, place in rows.values_list(*columns, "snapshot__place"):
        own, beside = given.snapshots.get(machine), had.get(disk)
        policy, because = (
            (own, Because.SNAPSHOTS) if own else (beside.policy, beside.because) if beside else (None, None)
        )
        if policy and because:
            store = stores.get(place) if place else beside.store if beside else None
            yield Part(machine, snapshot, f"{called} of {name}", store, policy, because)


def keep_parts(parts: Sequence[PartStanding], moment: datetime) -> None:
    """Store how they stand, in the caller's transaction; only what is another one now is written.

    Since when stays for as long as it stands so to the same policy.
    """
    rows = PartCompliance.objects.values_list("files_of_id", "snapshot_id", "pk", "since", *COLUMNS)
    before = {(files, snapshot): (key, since, told) for files, snapshot, key, since, *told in rows}
    there = set(MachineSnapshot.objects.values_list("pk", flat=True))
    news = list[dict[str, Any]]()
    for each in parts:
        part, told = each.part, [each.part.policy, str(each.part.because), str(each.state), each.reason]
        _key, since, old = before.pop(part.of, (0, moment, None))
        # A reading may have taken a snapshot away while this was judged.
        if old != told and (part.snapshot is None or part.snapshot in there):
            same = old is not None and (old[0], old[2]) == (told[0], told[2])
            files, snapshot = part.of
            row = {"files_of_id": files, "snapshot_id": snapshot, **dict(zip(COLUMNS, told, strict=True))}
            news.append({**row, "since": since if same else moment})
    PartCompliance.objects.filter(pk__in=[key for key, _since, _told in before.values()]).delete()
    insert(PartCompliance, news, (*COLUMNS, "since"))
