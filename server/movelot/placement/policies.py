"""Which policy each disk has and why, and how it stands to it where it lies."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from movelot.inventory.labels import labels_by_thing
from movelot.inventory.models import Compliance, Disk, GivenPolicy, Policy
from movelot_core.placement.facts import DiskFacts, PlaceFacts
from movelot_core.placement.policies import Because, Fit, fit, in_force, read_policy
from movelot_core.placement.policies import Policy as Asked
from movelot_core.placement.requirements.base import Answer


@dataclass(frozen=True)
class PolicyInForce:
    """A policy with what its version in force asks."""

    row: Policy
    asked: Asked


def policies_in_force() -> list[PolicyInForce]:
    """All that are not retired, by name."""
    rows = Policy.objects.filter(retired_at=None).prefetch_related("versions")
    return [PolicyInForce(row, asked_by(row)) for row in rows]


def asked_by(policy: Policy) -> Asked:
    """What the version of a policy that is in force asks."""
    version = next(each for each in policy.versions.all() if each.number == policy.number)
    return read_policy(version.requirements)


@dataclass(frozen=True)
class Had:
    """A disk with where it lies, and its policy with why it has that one; both None for one without.

    ``facts`` is what is set on the disk itself.
    """

    disk: int
    name: str
    store: int | None
    size_bytes: int
    policy: int | None
    because: Because | None
    facts: DiskFacts = field(default_factory=DiskFacts)


def policies_had(given: Given | None = None) -> list[Had]:
    """All disks with the policy that each has: what is given to it counts before what is given to its place."""
    given = given or Given()
    rows = Disk.objects.order_by("pk").values_list(
        "pk",
        "name",
        "size_bytes",
        "machine_id",
        "placement__datastore_id",
        "machine__placement__host__cluster_id",
        "cap_iops",
        "floor_iops",
    )
    found = []
    for disk, name, size, machine, store, cluster, *limits in rows:
        counts = in_force(dict(given.to(disk, machine, store, cluster)))
        policy, because = (counts[1], counts[0]) if counts else (None, None)
        found.append(Had(disk, name, store, size, policy, because, DiskFacts(*limits)))
    return found


class Given:
    """What policies are given to, by the primary keys of things and by labels."""

    def __init__(self) -> None:
        rows = list(GivenPolicy.objects.filter(policy__retired_at=None).order_by("pk"))
        self.disks = {row.disk_id: row.policy_id for row in rows if row.disk_id}
        self.machines = {row.machine_id: row.policy_id for row in rows if row.machine_id}
        self.files = {row.files_of_id: row.policy_id for row in rows if row.files_of_id}
        self.snapshots = {row.snapshots_of_id: row.policy_id for row in rows if row.snapshots_of_id}
        self.datastores = {row.datastore_id: row.policy_id for row in rows if row.datastore_id}
        self.clusters = {row.cluster_id: row.policy_id for row in rows if row.cluster_id}
        self.labels = {row.label: row.policy_id for row in rows if row.label}
        wanted = bool(self.labels)
        self.of_disks = self._labelled("disk") if wanted else {}
        self.of_machines = self._labelled("machine") if wanted else {}

    def __repr__(self) -> str:
        return f"<Given to {len(self.disks)} disks, {len(self.labels)} labels>"

    def _labelled(self, kind: str) -> dict[int, int]:
        """The policy that labels give to each thing; of two the one whose label comes first by name."""
        found: dict[int, int] = {}
        for thing, labels in labels_by_thing(kind).items():
            mine = [f"{key}={value}" for key, value in sorted(labels.items()) if f"{key}={value}" in self.labels]
            if mine:
                found[thing] = self.labels[mine[0]]
        return found

    def to(self, disk: int, machine: int, store: int | None, cluster: int | None) -> Iterator[tuple[Because, int]]:
        """Each policy that a disk could have, with why."""
        ways = (
            (Because.DISK, self.disks.get(disk)),
            (Because.MACHINE, self.machines.get(machine)),
            (Because.LABEL, self.of_disks.get(disk) or self.of_machines.get(machine)),
            (Because.DATASTORE, self.datastores.get(store or 0)),
            (Because.CLUSTER, self.clusters.get(cluster or 0)),
        )
        for because, policy in ways:
            if policy is not None:
                yield because, policy

    def to_files(self, machine: int, store: int | None, cluster: int | None) -> tuple[Because, int] | None:
        """The policy of a machine's own files, and why; None without one."""
        ways = {
            Because.FILES: self.files.get(machine),
            Because.MACHINE: self.machines.get(machine),
            Because.LABEL: self.of_machines.get(machine),
            Because.DATASTORE: self.datastores.get(store or 0),
            Because.CLUSTER: self.clusters.get(cluster or 0),
        }
        return in_force({because: policy for because, policy in ways.items() if policy is not None})


def fits_of(policy: Asked, facts: Mapping[int, PlaceFacts]) -> dict[int, Fit]:
    """How each place serves a policy, by the datastore's key."""
    return {key: fit(policy, place) for key, place in facts.items()}


def stands(found: Fit | None, lacking: Sequence[str] = ()) -> tuple[Compliance.State, str]:
    """The state of a disk that lies where ``found`` is the answer, with the reason.

    What could be made there and is not set on it is missing, and so is what it is ``lacking`` itself; where it lies on
    nothing known, nothing is judged.
    """
    if found is None:
        return Compliance.State.UNKNOWN, "where it lies is not known"
    if found.answer is Answer.HAS:
        return (Compliance.State.OUT, "; ".join(lacking)[:300]) if lacking else (Compliance.State.IN, "")
    if found.answer is Answer.UNKNOWN:
        return Compliance.State.UNKNOWN, "; ".join(found.reasons)[:300]
    return Compliance.State.OUT, "; ".join(found.reasons)[:300]
