"""Lots that bring together an export that hosts mount apart: under two spellings of its server, or two NFS versions.

Hosts know an export by how server and path are spelled: two spellings are two datastores, between which no machine
moves; two versions keep locks that do not see one another. What most hosts have is taken. A host mounts the export
anew only while none of its machines has a disk on it, as these would lose it meanwhile.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import Any

from movelot.attach.masking import volume_named
from movelot.inventory.files import mounts_of
from movelot.inventory.models import Disk, Volume
from movelot.inventory.sentences import first_of
from movelot.lots.drafting import PASS, STOP, Check, Draft, DraftKind
from movelot.lots.models import Lot
from movelot.lots.steps.base import StepSpec, Values
from movelot_core.files import MountedAs, usual_spelling

How = tuple[str, str, str]


class MountAlikeKind(DraftKind):
    """Form: volume, a file system."""

    name = "mount_alike"

    def drafted(self, form: dict[str, Any], lot: Lot) -> Draft:
        volume = volume_named(form.get("volume"))
        mounts = mounts_of([volume]).get(volume.serial, []) if volume and volume.kind == Volume.Kind.FILE else []
        usual = _usual(mounts)
        if volume is None or usual is None:
            check = Check("file system is known", STOP, "No host mounts such a file system.")
            return Draft("Mount an export alike", checks=[check])
        title = f"Mount {volume.name} alike on every host"
        odd = [mount for mount in mounts if _how(mount) != usual]
        if not odd:
            text = f"Every host mounts it as {usual[0]}:{usual[1]}, {usual[2]}."
            return Draft(title, checks=[Check("something to change", STOP, text)])
        settled = {mount.host for mount in mounts if _how(mount) == usual}
        name = next(mount.datastore for mount in mounts if _how(mount) == usual)
        steps: list[StepSpec] = []
        for mount in odd:
            again = mount.host not in settled
            steps += _steps(mount, usual, volume, name if again else "", len(steps))
        plan = {"volume": volume.name, "serial": volume.serial, "odd": len(odd), "hosts": [m.host for m in odd]}
        facts = {f"mount of {mount.host}": f"{mount.server}:{mount.path}, {mount.version}" for mount in odd}
        return Draft(title, steps, plan, [_use(mount) for mount in odd], facts)

    def outcome(self, lot: Lot) -> dict[str, Any]:
        """Hosts that mount it otherwise than most, before and after."""
        volume = Volume.objects.filter(serial=lot.plan["serial"]).first()
        mounts = mounts_of([volume]).get(volume.serial, []) if volume else []
        usual = _usual(mounts)
        row = {
            "subject_kind": "volume",
            "subject": lot.plan["volume"],
            "figure": "hosts that mount it apart",
            "before": lot.plan["odd"],
            "predicted": 0,
            "measured": sum(_how(mount) != usual for mount in mounts),
            "note": "",
        }
        return {"rows": [row]}


def _how(mount: MountedAs) -> How:
    return mount.server, mount.path, mount.version


def _usual(mounts: Sequence[MountedAs]) -> How | None:
    """Server, path and version that most hosts use; among equals the higher version. None while nobody mounts it."""
    spelled = usual_spelling(mounts)
    if spelled is None:
        return None
    versions = Counter(mount.version for mount in mounts if (mount.server, mount.path) == spelled)
    return (*spelled, max(versions, key=lambda version: (versions[version], version)))


def _steps(mount: MountedAs, usual: How, volume: Volume, name: str, first: int) -> list[StepSpec]:
    """Unmount it, and mount it as the others do, under their ``name``; without a name it is so mounted already."""

    def params(how: How, named: str) -> Values:
        return {"server": how[0], "path": how[1], "version": how[2], "name": named, "serial": volume.serial}

    title = f"Unmount {mount.datastore} from {mount.host}"
    detail = f"{mount.server}:{mount.path}, {mount.version}"
    steps = [StepSpec("unmount_export", mount.host, title, detail, params(_how(mount), mount.datastore))]
    if name:
        title, detail = f"Mount {name} on {mount.host}", f"{usual[0]}:{usual[1]}, {usual[2]}, as on the others"
        steps.append(StepSpec("mount_export", mount.host, title, detail, params(usual, name), (first,)))
    return steps


def _use(mount: MountedAs) -> Check:
    """Whether machines of the host have disks there, which it would lose meanwhile."""
    disks = Disk.objects.filter(machine__placement__host__name=mount.host, placement__datastore__name=mount.datastore)
    users = sorted({disk.machine.name for disk in disks.select_related("machine")})
    if not users:
        return Check("no machine is on it", PASS, f"no machine of {mount.host} has a disk on {mount.datastore}")
    text = (
        f"{first_of(users)} on {mount.host} have disks on {mount.datastore}. Move these machines to another host first."
    )
    return Check("no machine is on it", STOP, text)
