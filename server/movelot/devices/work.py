"""Long work on a device: what its task says, and abandoning it."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.devices.session import DeviceSession, Resource

TASKS = "/redfish/v1/TaskService/Tasks"


@dataclass(frozen=True)
class Work:
    """A task: its state in Redfish's words, and bytes (or seconds) done, in all, and per second."""

    state: str
    done: float
    total: float
    per_second: float
    message: str

    @property
    def running(self) -> bool:
        return self.state in ("New", "Starting", "Running", "Pending", "Stopping", "Cancelling")

    @property
    def ended_well(self) -> bool:
        return self.state == "Completed"


def work_at(session: DeviceSession, monitor_uri: str) -> Work:
    """The task behind a task monitor."""
    return _work(session.get(monitor_uri.replace("/TaskMonitors/", "/Tasks/")))


def _work(task: Resource) -> Work:
    oem = task["Oem"]["Kestrel"]
    message = task["Messages"][0]["Message"] if task["Messages"] else ""
    return Work(task["TaskState"], float(oem["Done"]), float(oem["Total"]), float(oem["PerSecond"]), message)


def find_work(session: DeviceSession, key: str) -> str:
    """Address of the monitor of the running task that carries ``key``; empty if there is none."""
    for task in session.members(TASKS):
        if task["Oem"]["Kestrel"]["Key"] == key and _work(task).running:
            return str(task["TaskMonitor"])
    return ""


def last_work(session: DeviceSession, key: str) -> Work | None:
    """The last task that carries ``key``, ended or not; None if the device knows none."""
    found = [task for task in session.members(TASKS) if task["Oem"]["Kestrel"]["Key"] == key]
    return _work(found[-1]) if found else None


def abandon(session: DeviceSession, monitor_uri: str) -> None:
    """Ask the device to stop and clean up behind itself."""
    session.delete(monitor_uri)
