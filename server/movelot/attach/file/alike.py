"""Lots that bring together an export that hosts mount apart: under two spellings of its server, or two NFS versions.

Hosts know an export by how server and path are spelled: two spellings are two datastores, between which no machine
moves; two versions keep locks that do not see one another. What most hosts have is taken. A host mounts the export
anew only while none of its machines has a disk on it, as these would lose it meanwhile.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from movelot.attach.spread import volume_of
from movelot.inventory.exports import mounts_of
from movelot.inventory.models import Disk, Volume
from movelot.inventory.sentences import first_of
from movelot.lots.documents import LotForm, LotPlan, names
from movelot.lots.kinds import PASS, STOP, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.lots.steps.file_systems import MountExport, UnmountExport
from movelot_core.nfs import MountedAs, usual_spelling

How = tuple[str, str, str]


@dataclass(frozen=True)
class AlikeForm(LotForm):
    """A file system by its primary key."""

    volume: int | None = names("volume", None)


@dataclass
class AlikePlan(LotPlan):
    """A file system, and the hosts that mount it otherwise than most."""

    volume: str
    serial: str
    odd: int
    hosts: list[str]


class MountAlikeKind(LotKind[AlikeForm, AlikePlan]):
    """Mounts a file system on every host as most hosts mount it."""

    name, form, plan = "mount_alike", AlikeForm, AlikePlan

    def drafted(self, form: AlikeForm, lot: Lot) -> Draft[AlikeForm, AlikePlan]:
        volume = volume_of(form.volume)
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
        steps = StepPlan()
        for mount in odd:
            again = mount.host not in settled
            _add(steps, mount, usual, volume, name if again else "")
        plan = AlikePlan(volume.name, volume.serial, len(odd), [mount.host for mount in odd])
        facts = {f"mount of {mount.host}": f"{mount.server}:{mount.path}, {mount.version}" for mount in odd}
        return Draft(title, steps, plan, [_use(mount) for mount in odd], facts)

    def outcome(self, lot: Lot, plan: AlikePlan) -> list[MeasuredRow]:
        """Hosts that mount it otherwise than most, before and after."""
        volume = Volume.objects.filter(serial=plan.serial).first()
        mounts = mounts_of([volume]).get(volume.serial, []) if volume else []
        usual = _usual(mounts)
        apart = sum(_how(mount) != usual for mount in mounts)
        return [MeasuredRow("volume", plan.volume, "hosts that mount it apart", plan.odd, 0, apart)]


def _how(mount: MountedAs) -> How:
    return mount.server, mount.path, mount.version


def _usual(mounts: Sequence[MountedAs]) -> How | None:
    """Server, path and version that most hosts use; among equals the higher version. None while nobody mounts it."""
    spelled = usual_spelling(mounts)
    if spelled is None:
        return None
    versions = Counter(mount.version for mount in mounts if (mount.server, mount.path) == spelled)
    return (*spelled, max(versions, key=lambda version: (versions[version], version)))


def _add(plan: StepPlan, mount: MountedAs, usual: How, volume: Volume, name: str) -> None:
    """Unmount it, and mount it as the others do, under their ``name``; without a name it is so mounted already."""
    leave = UnmountExport(
        server=mount.server, path=mount.path, version=mount.version, name=mount.datastore, serial=volume.serial
    )
    detail = f"{mount.server}:{mount.path}, {mount.version}"
    left = plan.add(leave.on(mount.host, f"Unmount {mount.datastore} from {mount.host}", detail))
    if name:
        server, path, version = usual
        again = MountExport(server=server, path=path, version=version, name=name, serial=volume.serial)
        detail = f"{server}:{path}, {version}, as on the others"
        plan.add(again.on(mount.host, f"Mount {name} on {mount.host}", detail), left)


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
