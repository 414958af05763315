"""The machines of a hypervisor host: how it lists them, and what it does with them when told."""

from __future__ import annotations

from collections.abc import Callable

from movelot_standins import actions, machine_actions, raw_actions, wandering
from movelot_standins.common_service import ROOT, CommonService, stamp
from movelot_standins.model import Disk, Host, Machine, RawVolume, Snapshot
from movelot_standins.redfish import Call, Reply, Resource, resource, walk
from movelot_standins.set_members import is_set


class MachineService(CommonService):
    """The part of a host that its machines are."""

    @property
    def host(self) -> Host:
        return self.world.host(self.name)

    @property
    def oem(self) -> str:
        return f"{ROOT}/Systems/{self.name}/Oem/Kestrel"

    def machine_acts(self) -> dict[str, Callable[[Call], Reply]]:
        """What can be done with machines, by the name of the action."""
        return {
            "MakeMachine": self.make_machine,
            "DeleteMachine": self.delete_machine,
            "AddDisk": self.add_disk,
            "EnlargeDisk": self.enlarge_disk,
            "RemoveDisk": self.remove_disk,
            "MoveDisk": self.move_disk,
            "MoveFiles": self.move_files,
            "SetDiskLimits": self.set_disk_limits,
            "PowerOn": self.power_on,
            "PowerOff": self.power_off,
            "ShutDown": self.shut_down,
            "TakeSnapshot": self.take_snapshot,
            "GoBack": self.go_back,
            "MergeSnapshot": self.merge_snapshot,
            "ProvisionDisk": self.provision_disk,
            "DeleteSwap": self.delete_swap,
            "MigrateMachine": self.migrate_machine,
            "GiveVolume": self.give_volume,
            "TakeVolume": self.take_volume,
        }

    def machines(self) -> list[Resource]:
        return [
            self._machine(machine)
            for machine in self.world.machines
            if machine.host == self.name and f"machine:{machine.name}" not in self.world.hidden
        ]

    def _machine(self, machine: Machine) -> Resource:
        return resource(
            f"{self.oem}/VirtualMachines/{machine.name}",
            "KestrelVirtualMachine.v1_0_0.VirtualMachine",
            machine.name,
            UUID=machine.uuid,
            PowerState=machine.power,
            OperatingSystem=machine.os,
            Address=machine.address,
            Processors=machine.processors,
            MemoryBytes=machine.memory_bytes,
            Home=machine.home,
            SwapBytes=machine.swap_bytes,
            OffSince=stamp(machine.off_since) if machine.off_since else None,
            Key=machine.key,
            Standing=machine.standing,
            Snapshots=[self._snapshot(snapshot) for snapshot in machine.snapshots],
            Disks=[*map(self._disk, machine.disks), *(self._raw_disk(machine, raw) for raw in machine.raw)],
        )

    def _snapshot(self, snapshot: Snapshot) -> Resource:
        return {
            "Name": snapshot.name,
            "Taken": stamp(snapshot.taken),
            "Parent": snapshot.parent,
            "Key": snapshot.key,
            "Datastore": snapshot.datastore,
            "Disks": [{"Id": disk, "HeldBytes": held} for disk, held in snapshot.held.items()],
        }

    def _disk(self, disk: Disk) -> Resource:
        return {
            "Id": disk.id,
            "Name": disk.name,
            "CapacityBytes": disk.size_bytes,
            "WrittenBytes": disk.written_bytes,
            "Thin": disk.thin,
            "FilledFrom": disk.filled_from,
            "Datastore": disk.datastore,
            "Key": disk.key,
            "Limits": self._limits(disk),
        }

    def _limits(self, disk: Disk) -> Resource:
        cap, floor = disk.limits_at(self.clock())
        store = self.world.datastore(disk.datastore)
        by_array = store is not None and is_set(self.world, store)
        return {"CapIOPS": cap, "FloorIOPS": floor, "EnforcedBy": "Array" if by_array else "Host"}

    def _raw_disk(self, machine: Machine, raw: RawVolume) -> Resource:
        volume = self.world.volume_by_serial(raw.serial)
        return {
            "Id": f"{machine.name}-raw-{raw.serial}",
            "Name": f"{machine.name} raw {volume.name if volume else raw.serial}",
            "CapacityBytes": volume.size_bytes if volume else 0,
            "Datastore": "",
            "RawSerial": raw.serial,
            "Shared": raw.shared,
        }

    def give_volume(self, call: Call) -> Reply:
        name, serial, shared = str(call.body["Machine"]), str(call.body["Serial"]), bool(call.body.get("Shared"))
        raw_actions.give(self.world, self.host, name, serial, shared=shared)
        return Reply(200, walk(self.machines(), name))

    def take_volume(self, call: Call) -> Reply:
        name = str(call.body["Machine"])
        raw_actions.take(self.world, self.host, name, str(call.body["Serial"]))
        return Reply(200, walk(self.machines(), name))

    def make_machine(self, call: Call) -> Reply:
        return Reply(201, self._machine(machine_actions.make(self.world, self.host, call.body)))

    def delete_machine(self, call: Call) -> Reply:
        machine_actions.delete(self.world, self.host, str(call.body["Machine"]))
        return Reply(204)

    def add_disk(self, call: Call) -> Reply:
        return Reply(201, self._disk(machine_actions.add_disk(self.world, self.host, call.body, self.clock())))

    def enlarge_disk(self, call: Call) -> Reply:
        name, disk, size = str(call.body["Machine"]), str(call.body["Disk"]), int(call.body["CapacityBytes"])
        made = machine_actions.enlarge_disk(self.world, self.host, name, disk, size, self.clock())
        return Reply(200, self._disk(made))

    def remove_disk(self, call: Call) -> Reply:
        machine_actions.remove_disk(self.world, self.host, str(call.body["Machine"]), str(call.body["Disk"]))
        return Reply(204)

    def set_disk_limits(self, call: Call) -> Reply:
        name, disk, cap = str(call.body["Machine"]), str(call.body["Disk"]), int(call.body["CapIOPS"])
        made = machine_actions.limit_disk(self.world, self.host, name, disk, cap, self.clock())
        return Reply(200, self._disk(made))

    def power_on(self, call: Call) -> Reply:
        found = machine_actions.power_on(self.world, self.host, str(call.body["Machine"]), self.clock())
        return Reply(200, self._machine(found))

    def power_off(self, call: Call) -> Reply:
        found = machine_actions.power_off(self.world, self.host, str(call.body["Machine"]), self.clock())
        return Reply(200, self._machine(found))

    def shut_down(self, call: Call) -> Reply:
        name, key = str(call.body["Machine"]), str(call.body["Key"])
        return self.accepted(machine_actions.shut_down(self.world, self.host, name, key, self.clock()))

    def take_snapshot(self, call: Call) -> Reply:
        found = machine_actions.take_snapshot(self.world, self.host, call.body, self.clock())
        return Reply(201, self._machine(found))

    def go_back(self, call: Call) -> Reply:
        name, to = str(call.body["Machine"]), str(call.body["Snapshot"])
        return Reply(200, self._machine(machine_actions.go_back(self.world, self.host, name, to)))

    def merge_snapshot(self, call: Call) -> Reply:
        name, snapshot, key = (str(call.body[part]) for part in ("Machine", "Snapshot", "Key"))
        task = machine_actions.merge_snapshot(self.world, self.host, name, snapshot, key, self.clock())
        return self.accepted(task)

    def provision_disk(self, call: Call) -> Reply:
        return self.accepted(machine_actions.provision(self.world, self.host, call.body, self.clock()))

    def delete_swap(self, call: Call) -> Reply:
        return Reply(200, self._machine(machine_actions.delete_swap(self.world, self.host, str(call.body["Machine"]))))

    def move_disk(self, call: Call) -> Reply:
        disk, target, key = (str(call.body[part]) for part in ("Disk", "Target", "Key"))
        return self.accepted(actions.move_disk(self.world, self.host, disk, target, key, self.clock()))

    def move_files(self, call: Call) -> Reply:
        name, target = str(call.body["Machine"]), str(call.body["Target"])
        return Reply(200, self._machine(machine_actions.move_files(self.world, self.host, name, target)))

    def migrate_machine(self, call: Call) -> Reply:
        wandering.migrate(self.world, str(call.body["Machine"]), self.name, str(call.body["Target"]))
        return Reply(204)
