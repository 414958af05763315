"""Resources every device has: service root, sessions, tasks, telemetry, and the document that lists them."""

from __future__ import annotations

import hashlib
import secrets
import time
import uuid
from collections.abc import Callable
from datetime import UTC, datetime
from functools import lru_cache
from typing import Any

from starlette.responses import Response

from movelot_standins.actions import ActionError
from movelot_standins.clockwork import cancel
from movelot_standins.model import GivenPassword, Task, World
from movelot_standins.redfish import Call, Collection, Reply, Resource, Service, link, resource, walk
from movelot_standins.space import remember

ROOT = "/redfish/v1"
HISTORY_DAYS = 30
ODATA = {"OData-Version": "4.0", "Cache-Control": "no-cache"}
METADATA = """<?xml version="1.0" encoding="UTF-8"?>
<edmx:Edmx xmlns:edmx="http://docs.oasis-open.org/odata/ns/edmx" Version="4.0">
  <edmx:Reference Uri="http://redfish.dmtf.org/schemas/v1/ServiceRoot_v1.xml">
    <edmx:Include Namespace="ServiceRoot"/><edmx:Include Namespace="ServiceRoot.v1_16_0"/>
  </edmx:Reference>
  <edmx:DataServices>
    <Schema xmlns="http://docs.oasis-open.org/odata/ns/edm" Namespace="Service">
      <EntityContainer Name="Service" Extends="ServiceRoot.v1_16_0.ServiceContainer"/>
    </Schema>
  </edmx:DataServices>
</edmx:Edmx>
"""
ACCOUNTS = f"{ROOT}/AccountService/Accounts"
ROLES = f"{ROOT}/AccountService/Roles"
PRIVILEGES = {
    "Administrator": ["Login", "ConfigureManager", "ConfigureUsers", "ConfigureSelf", "ConfigureComponents"],
    "Operator": ["Login", "ConfigureSelf", "ConfigureComponents"],
    "ReadOnly": ["Login", "ConfigureSelf"],
}
PASSWORD_LENGTHS = (12, 40)
Clock = Callable[[], float]
MetricDay = Callable[[int], list[Resource]]
MetricNow = Callable[[float], list[Resource]]


@lru_cache(maxsize=4096)
def stamp(when: float) -> str:
    """A time as the standard writes it; kept, as a day of reports names each hour thousands of times."""
    return datetime.fromtimestamp(when, UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def _digest(password: str) -> str:
    # Passwords here are long and random: a plain digest tells nothing of them.
    return hashlib.sha256(password.encode()).hexdigest()


class CommonService(Service):
    """A device of the world. Subclasses add what arrays and hosts are."""

    def __init__(self, name: str, world: World, password: str, clock: Clock = time.time) -> None:
        super().__init__(name, "movelot", password)
        self.world, self.clock = world, clock
        self.changing = lambda: remember(world, clock())
        self.route("GET", "/redfish", lambda _call: Reply(200, {"v1": "/redfish/v1/"}))
        self.route("GET", ROOT, self.root)
        self.route("GET", f"{ROOT}/odata", self.odata)
        self.route(
            "GET", f"{ROOT}/$metadata", lambda _call: Response(METADATA, media_type="application/xml", headers=ODATA)
        )
        self.route("GET", f"{ROOT}/SessionService", self.session_service)
        self.route("GET", f"{ROOT}/AccountService", self.account_service)
        self.collection(ACCOUNTS, "ManagerAccount", "Accounts", self.accounts)
        self.route("PATCH", ACCOUNTS + "/{id}", self.change_account)
        self.collection(ROLES, "Role", "Roles", self.roles)
        self.route("GET", f"{ROOT}/TaskService", self.task_service)
        self.route("GET", f"{ROOT}/TaskService/Tasks", self.task_list)
        self.route(
            "GET", f"{ROOT}/TaskService/Tasks/{{id}}", lambda call: walk(self.task_list(call).members, call.parts["id"])
        )
        self.route("GET", f"{ROOT}/TaskService/TaskMonitors/{{id}}", self.monitor)
        self.route("DELETE", f"{ROOT}/TaskService/TaskMonitors/{{id}}", self.abandon)
        self.collection(f"{ROOT}/Managers", "Manager", "Managers", self.managers)
        self.route("GET", f"{ROOT}/TelemetryService", self.telemetry)
        self.route("GET", f"{ROOT}/TelemetryService/MetricReports", self.reports)
        self.route("GET", f"{ROOT}/TelemetryService/MetricReports/{{id}}", self.report)

    def collection(self, path: str, kind: str, name: str, members: Callable[[], list[Resource]]) -> None:
        """Serve a collection at ``path`` and each of its members below it."""
        self.route("GET", path, lambda _call: Collection(f"{kind}Collection", name, members()))
        self.route("GET", path + "/{id}", lambda call: walk(members(), call.parts["id"]))

    def root_links(self) -> dict[str, Resource]:
        """Entries of the service root that only this kind of device has."""
        raise NotImplementedError

    def metric_day(self, day: int) -> list[Resource]:
        """Hourly metric values of a whole day (days since 1970)."""
        raise NotImplementedError

    def metric_now(self, when: float) -> list[Resource]:
        """One value per metric for this moment."""
        raise NotImplementedError

    def root(self, _call: Call) -> Resource:
        return resource(
            ROOT,
            "ServiceRoot.v1_16_0.ServiceRoot",
            self.name,
            Id="RootService",
            RedfishVersion="1.15.0",
            Vendor="Kestrel Bay",
            Product="Stand-in",
            UUID=str(uuid.uuid5(uuid.NAMESPACE_DNS, self.name)),
            ProtocolFeaturesSupported={
                "ExpandQuery": {"NoLinks": True, "ExpandAll": True, "Levels": False, "Links": False},
                "FilterQuery": True,
                "TopSkipQuery": True,
                "SelectQuery": False,
                "OnlyMemberQuery": False,
            },
            SessionService=link(f"{ROOT}/SessionService"),
            AccountService=link(f"{ROOT}/AccountService"),
            Tasks=link(f"{ROOT}/TaskService"),
            Managers=link(f"{ROOT}/Managers"),
            TelemetryService=link(f"{ROOT}/TelemetryService"),
            Links={"Sessions": link(f"{ROOT}/SessionService/Sessions")},
            **self.root_links(),
        )

    def odata(self, _call: Call) -> Reply:
        names = {
            "Service": ROOT + "/",
            "Sessions": f"{ROOT}/SessionService/Sessions",
            "TaskService": f"{ROOT}/TaskService",
        }
        entries = [{"name": name, "kind": "Singleton", "url": url} for name, url in names.items()]
        return Reply(200, {"@odata.context": f"{ROOT}/$metadata", "value": entries})

    def session_service(self, _call: Call) -> Resource:
        return resource(
            f"{ROOT}/SessionService",
            "SessionService.v1_1_9.SessionService",
            "Sessions",
            ServiceEnabled=True,
            SessionTimeout=1800,
            Sessions=link(f"{ROOT}/SessionService/Sessions"),
        )

    def account_service(self, _call: Call) -> Resource:
        return resource(
            f"{ROOT}/AccountService",
            "AccountService.v1_15_0.AccountService",
            "Accounts",
            ServiceEnabled=True,
            MinPasswordLength=PASSWORD_LENGTHS[0],
            MaxPasswordLength=PASSWORD_LENGTHS[1],
            Accounts=link(ACCOUNTS),
            Roles=link(ROLES),
        )

    def accounts(self) -> list[Resource]:
        """The one account; nobody is told its password."""
        return [
            resource(
                f"{ACCOUNTS}/1",
                "ManagerAccount.v1_12_0.ManagerAccount",
                f"Account {self.user}",
                UserName=self.user,
                Password=None,
                RoleId="Administrator",
                AccountTypes=["Redfish"],
                Enabled=True,
                Locked=False,
                Links={"Role": link(f"{ROLES}/Administrator")},
            )
        ]

    def roles(self) -> list[Resource]:
        """The standard's own roles, with the privileges that it gives them."""
        return [
            resource(
                f"{ROLES}/{name}",
                "Role.v1_3_1.Role",
                name,
                RoleId=name,
                IsPredefined=True,
                AssignedPrivileges=privileges,
            )
            for name, privileges in PRIVILEGES.items()
        ]

    def change_account(self, call: Call) -> Reply:
        walk(self.accounts(), call.parts["id"])
        unknown = set(call.body) - {"Password"}
        if unknown:
            raise ActionError(400, "PropertyNotWritable", f"{', '.join(sorted(unknown))} cannot be changed.")
        password = call.body["Password"]
        if not isinstance(password, str) or not PASSWORD_LENGTHS[0] <= len(password) <= PASSWORD_LENGTHS[1]:
            least, most = PASSWORD_LENGTHS
            raise ActionError(400, "PropertyValueError", f"A password has {least} to {most} characters.")
        self._give(password)
        return Reply(204)

    def _give(self, password: str) -> None:
        """Another password; whoever signed in with the old one is signed out. The first is not kept in the world."""
        others = [given for given in self.world.passwords if given.name != self.name]
        first = secrets.compare_digest(password, self.password)
        self.world.passwords = others if first else [*others, GivenPassword(self.name, _digest(password))]
        self.sessions.clear()

    def password_is(self, password: str) -> bool:
        given = next((given.digest for given in self.world.passwords if given.name == self.name), None)
        return super().password_is(password) if given is None else secrets.compare_digest(given, _digest(password))

    def task_service(self, _call: Call) -> Resource:
        return resource(
            f"{ROOT}/TaskService",
            "TaskService.v1_2_1.TaskService",
            "Tasks",
            DateTime=stamp(self.clock()),
            ServiceEnabled=True,
            Tasks=link(f"{ROOT}/TaskService/Tasks"),
        )

    def managers(self) -> list[Resource]:
        """The device's manager, whose clock may be wrong."""
        wrong = self.world.clock_errors.get(self.name, 0.0)
        return [
            resource(
                f"{ROOT}/Managers/{self.name}",
                "Manager.v1_21_0.Manager",
                f"Manager of {self.name}",
                ManagerType="Service",
                DateTime=stamp(self.clock() + wrong),
                DateTimeLocalOffset="+00:00",
                Status={"State": "Enabled", "Health": "OK"},
            )
        ]

    def task_list(self, _call: Call) -> Collection:
        tasks = [self.task(task) for task in self.world.tasks if task.device == self.name]
        return Collection("TaskCollection", "Tasks", tasks)

    def task(self, task: Task) -> Resource:
        """A task; under Oem the bytes (or seconds) done, their total and the rate per second, and the caller's key."""
        more: dict[str, Any] = {"EndTime": stamp(task.ended)} if task.ended else {}
        return resource(
            f"{ROOT}/TaskService/Tasks/{task.id}",
            "Task.v1_7_4.Task",
            f"{task.kind} {task.key}".strip(),
            TaskState=task.state,
            TaskStatus="OK" if task.state in ("Running", "Completed") else "Critical",
            PercentComplete=int(100 * task.done / max(task.total, 1)),
            StartTime=stamp(task.started),
            TaskMonitor=f"{ROOT}/TaskService/TaskMonitors/{task.id}",
            Messages=[{"MessageId": "Base.1.18.GeneralError", "Message": task.message}] if task.message else [],
            Oem={
                "Kestrel": {
                    "Kind": task.kind,
                    "Key": task.key,
                    "Done": int(task.done),
                    "Total": int(task.total),
                    "PerSecond": task.rate,
                    "Disk": task.disk,
                    "Target": task.target,
                    "Offloaded": task.offloaded,
                }
            },
            **more,
        )

    def accepted(self, task: Task) -> Reply:
        """202 with the task's monitor."""
        headers = {"Location": f"{ROOT}/TaskService/TaskMonitors/{task.id}", "Retry-After": "1"}
        return Reply(202, self.task(task), headers)

    def monitor(self, call: Call) -> Reply:
        task = self._task(call)
        return self.accepted(task) if task.running else Reply(200, self.task(task))

    def abandon(self, call: Call) -> Reply:
        task = self._task(call)
        cancel(task, self.clock())
        return Reply(200, self.task(task))

    def _task(self, call: Call) -> Task:
        walk(self.task_list(call).members, call.parts["id"])
        return next(task for task in self.world.tasks if task.id == call.parts["id"])

    def telemetry(self, _call: Call) -> Resource:
        return resource(
            f"{ROOT}/TelemetryService",
            "TelemetryService.v1_3_3.TelemetryService",
            "Telemetry",
            ServiceEnabled=True,
            MinCollectionInterval="PT1M",
            MetricReports=link(f"{ROOT}/TelemetryService/MetricReports"),
        )

    def reports(self, _call: Call) -> Collection:
        today = int(self.clock() // 86400)
        names = [
            "now",
            *(
                datetime.fromtimestamp(d * 86400, UTC).strftime("%Y-%m-%d")
                for d in range(today, today - HISTORY_DAYS, -1)
            ),
        ]
        members = [
            resource(
                f"{ROOT}/TelemetryService/MetricReports/{name}", "MetricReport.v1_5_1.MetricReport", f"Report {name}"
            )
            for name in names
        ]
        return Collection("MetricReportCollection", "Metric reports", members)

    def report(self, call: Call) -> Resource:
        name, now = call.parts["id"], self.clock()
        walk(self.reports(call).members, name)
        if name == "now":
            values = self.metric_now(now)
        else:
            day = int(datetime.strptime(name, "%Y-%m-%d").replace(tzinfo=UTC).timestamp() // 86400)
            # An hour is reported once it is over.
            values = [value for value in self.metric_day(day) if value["Timestamp"] <= stamp(now - 3600)]
        return resource(
            f"{ROOT}/TelemetryService/MetricReports/{name}",
            "MetricReport.v1_5_1.MetricReport",
            f"Report {name}",
            Timestamp=stamp(now),
            MetricValues=values,
        )


def metric(name: str, prop: str, when: float, value: float) -> Resource:
    """One MetricValue; DSP0268 has the value as a string."""
    return {"MetricId": name, "MetricProperty": prop, "Timestamp": stamp(when), "MetricValue": f"{value:.6g}"}
