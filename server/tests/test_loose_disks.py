"""Disks that no machine has: found on datastores, proved by all machines, deleted by name."""

from __future__ import annotations

from datetime import timedelta

import pytest
from django.utils.timezone import now

from conftest import StandIns
from movelot.accounts.models import User
from movelot.capacity.known import uses
from movelot.capacity.reclaim.loose_disks import LooseDisks
from movelot.devices.session import session_with
from movelot.inventory.models import Datastore, Device, Disk, LooseDisk
from movelot.lots.models import Lot
from movelot.lots.steps.base import StepProblem, StepRun
from movelot.lots.steps.loose_disks import DeleteLooseDisk
from movelot_core.capacity.ledger import store_account
from server.tests.conftest import drafted, run_to_end
from server.tests.test_capacity import GIB, checks

OLD = "tug-roster-old disk 1"


def key(name: str) -> int:
    return LooseDisk.objects.get(name=name).pk


def test_they_are_found_and_deleted_by_name(estate: StandIns, ines: User) -> None:
    gains = {gain.what: gain for gain in LooseDisks().gains(uses(), now())}
    found = gains[f"{OLD}, once of tug-roster-old"]
    assert (found.place, found.size_bytes, found.typed) == ("berth-b", 90 * GIB, OLD)
    assert "last written 38" in found.certainty
    free = Datastore.objects.get(name="berth-b").free_bytes
    assert found.remedy is not None
    unsaid = drafted(found.remedy.kind, ines, **found.remedy.form)
    assert f"Type {OLD} to say that it is meant" in checks(unsaid, "stop")
    assert unsaid.steps.count() == 0
    lot = drafted(found.remedy.kind, ines, **found.remedy.form, confirm=OLD)
    assert "none of 43 machines on 10 hosts" in checks(lot, "pass")
    assert "its description names tug-roster-old, which is nowhere" in checks(lot, "pass")
    done = run_to_end(lot)
    assert done.state == Lot.State.DONE
    assert not LooseDisk.objects.filter(name=OLD).exists()
    assert OLD not in [disk["name"] for disk in estate.world()["loose"]]
    (row,) = done.outcome["rows"]
    assert row["predicted"] == row["measured"] == free + 90 * GIB
    # Deleted on the datastore, its blocks are dead until they are given back.
    assert "return_blocks" not in [step.kind for step in done.steps.all()]


def test_several_are_deleted_by_all_of_their_names(estate: StandIns, ines: User) -> None:
    names = [OLD, "customs-test disk 1"]
    keys = [key(name) for name in names]
    assert checks(drafted("delete_disks", ines, disks=keys, confirm=OLD), "stop")
    lot = drafted("delete_disks", ines, disks=keys, confirm="customs-test disk 1, tug-roster-old disk 1")
    # berth-c still lets the retired host in, which might have a machine that uses it.
    assert "quay-09" in checks(lot, "warn"), lot.checks
    assert run_to_end(lot).state == Lot.State.DONE
    assert not LooseDisk.objects.filter(name__in=names).exists()


def test_one_that_may_be_used_is_not_deleted(estate: StandIns, ines: User) -> None:
    LooseDisk.objects.filter(name=OLD).update(last_written_at=now() - timedelta(days=3))
    assert "was written to 3 days ago: it is in use" in checks(
        drafted("delete_disks", ines, disks=[key(OLD)], confirm=OLD), "stop"
    )
    Disk.objects.filter(name="payroll disk 1").update(identity=LooseDisk.objects.get(name=OLD).identity)
    assert "payroll has payroll disk 1 now" in checks(
        drafted("delete_disks", ines, disks=[key(OLD)], confirm=OLD), "stop"
    )
    Device.objects.filter(name="quay-02").update(state=Device.State.AWAY)
    assert "quay-02 cannot be asked" in checks(
        drafted("delete_disks", ines, disks=[key("customs-test disk 1")], confirm="customs-test disk 1"), "stop"
    )
    assert "No datastore lists any" in checks(drafted("delete_disks", ines, disks=[]), "stop")


def test_written_to_since_it_was_drafted_it_stays(estate: StandIns, ines: User) -> None:
    step = drafted("delete_disks", ines, disks=[key(OLD)], confirm=OLD).steps.get()
    earlier = (now() - timedelta(days=400)).isoformat()
    act = DeleteLooseDisk.model_validate({**step.params, "last_written": earlier})
    with pytest.raises(StepProblem, match="something uses it"):
        act.begin(StepRun(step.key, session_with(step.device)))
    assert OLD in [disk["name"] for disk in estate.world()["loose"]]


def test_their_bytes_are_no_longer_files_that_nobody_knows(estate: StandIns) -> None:
    store = Datastore.objects.get(name="berth-b")
    use = uses().stores[store.pk]
    assert use.image_bytes == 90 * GIB
    account = store_account(use)
    assert sum(account.layers.values()) + account.difference == store.capacity_bytes
