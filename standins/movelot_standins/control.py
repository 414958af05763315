"""The control door: pace, faults and small acts of fate, over plain HTTP on loopback, for demo and tests only."""

from __future__ import annotations

import json
import time
from typing import TYPE_CHECKING

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import JSONResponse
from starlette.routing import Route

from movelot_standins import fibre_channel, machine_actions, scenario, space, wandering
from movelot_standins.actions import ActionError, scan_now
from movelot_standins.faults import KINDS, Fault

if TYPE_CHECKING:
    from movelot_standins.run import Site


class ControlDoor:
    """Acts on a site from outside its devices."""

    def __init__(self, site: Site) -> None:
        self.site = site

    async def pace(self, request: Request) -> JSONResponse:
        """How many times faster than life copies and scans go."""
        wanted = float((await request.json())["pace"])
        if wanted != self.site.world.pace:
            self.site.world.pace = wanted
            self.site.save()
        return JSONResponse({"pace": self.site.world.pace})

    async def fault(self, request: Request) -> JSONResponse:
        """Switch a device's fault on; an empty kind clears it."""
        body = await request.json()
        listener, kind = self.site.listeners[body["device"]], str(body.get("kind", ""))
        if kind and kind not in KINDS:
            return JSONResponse({"error": f"unknown fault {kind}", "known": KINDS}, 400)
        listener.app.fault = Fault(kind, int(body.get("n", 1)))
        if kind == "expire":
            listener.service.sessions.clear()
        elif kind == "certificate":
            await listener.away()
            listener.renew_certificate()
        elif kind == "away":
            await listener.away()
        if kind != "away" and listener.server is None:
            await listener.up()
        return JSONResponse({"device": body["device"], "fault": kind})

    async def grow(self, request: Request) -> JSONResponse:
        """Let something that is no disk fill a datastore."""
        body = await request.json()
        found = next(s for s in self.site.world.datastores if s.name == body["datastore"])
        found.other_bytes += int(body["bytes"])
        self.site.save()
        return JSONResponse({"datastore": found.name, "other_bytes": found.other_bytes})

    async def sign(self, request: Request) -> JSONResponse:
        """Put a file system onto a volume."""
        body = await request.json()
        found = next(v for v in self.site.world.volumes if v.name == body["volume"])
        found.signature_kind = str(body["kind"])
        self.site.save()
        return JSONResponse({"volume": found.name, "signature": found.signature_kind})

    async def hold(self, request: Request) -> JSONResponse:
        """Put something beside the disks onto a datastore: an image, a template, a swap file, a heartbeat."""
        body = await request.json()
        found = next(s for s in self.site.world.datastores if s.name == body["datastore"])
        found.contents.append([str(body["kind"]), str(body["name"])])
        self.site.save()
        return JSONResponse({"datastore": found.name, "contents": found.contents})

    async def clock(self, request: Request) -> JSONResponse:
        """Set a device's clock wrong by so many seconds."""
        body = await request.json()
        self.site.world.clock_errors[str(body["device"])] = float(body["seconds"])
        self.site.save()
        return JSONResponse({"clock_errors": self.site.world.clock_errors})

    async def wire(self, request: Request) -> JSONResponse:
        """Change how a host's interface is wired: VLAN, frame size or address."""
        body = await request.json()
        host = self.site.world.host(body["host"])
        interface = next(i for i in host.interfaces if i.name == body["interface"])
        for name in {"vlan", "mtu", "address"} & body.keys():
            setattr(interface, name, body[name])
        self.site.save()
        return JSONResponse({"host": host.name, "interface": interface.name})

    async def zone(self, request: Request) -> JSONResponse:
        """What people do on the switches of an FC fabric: make a zone have these members, as [alias, WWPN]."""
        body = await request.json()
        fibre_channel.set_zone(self.site.world, str(body["fabric"]), str(body["name"]), body["members"])
        self.site.save()
        return JSONResponse({"zone": body["name"]})

    async def session(self, request: Request) -> JSONResponse:
        """End a host's sessions with an array's shared target but for these (interface, portal) pairs."""
        body = await request.json()
        host, target = self.site.world.host(body["host"]), self.site.world.target_name(body["array"])
        host.sessions[target] = [each for each in host.sessions.get(target, []) if each[:2] in body["keep"]]
        self.site.save()
        return JSONResponse({"sessions": host.sessions[target]})

    async def machine(self, request: Request) -> JSONResponse:
        """What people do with machines by other means: create, on, off, snapshot, delete."""
        try:
            space.remember(self.site.world, time.time())
            found = machine_actions.act_by_other_means(self.site.world, await request.json(), time.time())
        except ActionError as refused:
            return JSONResponse({"error": refused.message}, refused.status)
        self.site.save()
        return JSONResponse({"machine": found.name})

    async def wander(self, request: Request) -> JSONResponse:
        """What changes by other means: migrate a machine; rename, hide or show a machine, datastore or pool."""
        body = await request.json()
        act, kind, name = str(body["act"]), str(body.get("kind", "machine")), str(body["name"])
        world = self.site.world
        try:
            match act:
                case "migrate":
                    source = next((machine.host for machine in world.machines if machine.name == name), "")
                    wandering.migrate(world, name, source, str(body["to"]))
                case "rename":
                    wandering.rename(world, kind, name, str(body["to"]))
                case "hide":
                    wandering.hide(world, kind, name)
                case "show":
                    wandering.show(world, kind, name)
                case _:
                    return JSONResponse({"error": f"unknown act {act}"}, 400)
        except ActionError as refused:
            return JSONResponse({"error": refused.message}, refused.status)
        self.site.save()
        return JSONResponse({act: name})

    async def reset(self, _request: Request) -> JSONResponse:
        """The world as at its first start, without faults."""
        if not self.site.untouched:
            fresh = scenario.build(time.time(), self.site.settings.size)
            fresh.pace = self.site.world.pace
            for host in fresh.hosts:
                scan_now(fresh, host)
            # The services hold this very world: it is made new in place.
            vars(self.site.world).update(vars(fresh))
            self.site.contents.clear()
            self.site.save()
            self.site.untouched = True
        self.site.depot.broke = False
        for listener in self.site.listeners.values():
            listener.app.fault = Fault()
            if listener.restore_certificate():
                await listener.away()
            if listener.server is None:
                await listener.up()
        return JSONResponse({"reset": True})

    async def state(self, _request: Request) -> JSONResponse:
        """The state as last saved."""
        return JSONResponse(json.loads(self.site.state_file.read_text()))


def door_app(site: Site) -> Starlette:
    """The door as an application."""
    door = ControlDoor(site)
    acts = (
        door.pace,
        door.fault,
        door.grow,
        door.sign,
        door.hold,
        door.clock,
        door.wire,
        door.zone,
        door.machine,
        door.session,
        door.wander,
    )
    routes = [Route(f"/{act.__name__}", act, methods=["POST"]) for act in (*acts, door.reset)]
    return Starlette(routes=[*routes, Route("/state", door.state)])
