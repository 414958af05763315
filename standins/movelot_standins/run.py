"""Starts all devices in one process, lets their time pass, and opens the control door if asked to."""

from __future__ import annotations

import asyncio
import contextlib
import json
import logging
import secrets
import sys
import time
from dataclasses import dataclass
from pathlib import Path

import uvicorn

from movelot_standins import certificates, scenario, store
from movelot_standins.actions import scan_now
from movelot_standins.array_service import ArrayService
from movelot_standins.clockwork import advance
from movelot_standins.common_service import CommonService
from movelot_standins.contents import Contents
from movelot_standins.control import door_app
from movelot_standins.depot import Depot
from movelot_standins.faults import FaultyApp
from movelot_standins.file_service import FileService
from movelot_standins.host_service import HostService
from movelot_standins.model import World
from movelot_standins.nvme_service import NvmeService
from movelot_standins.yard import CLUSTERS, HOSTS_EACH

TICK_SECONDS = 0.2
SAVE_SECONDS = 2.0
ADDRESSES = {
    "granite": "127.40.0.10",
    "basalt": "127.40.0.11",
    "shale": "127.40.0.12",
    "chalk": "127.40.0.13",
    **{f"quay-0{n}": f"127.40.0.2{n}" for n in range(1, 7)},
    **{f"gate-0{n}": f"127.40.0.3{n}" for n in (1, 2, 3, 4)},
    **{f"light-0{n}": f"127.40.0.4{n}" for n in (1, 2, 3)},
    **{f"yard-{c:02}-{n:02}": f"127.40.{c}.{n}" for c in range(1, CLUSTERS + 1) for n in range(1, HOSTS_EACH + 1)},
}


@dataclass(frozen=True)
class Settings:
    """Where the stand-ins live and how large their world is. ``control_port`` 0 keeps the control door shut."""

    folder: Path
    port: int
    control_port: int
    pace: float | None = None
    quiet: bool = False
    size: str = "demo"


class Listener:
    """One device's HTTPS server, which can go away and come back."""

    def __init__(self, service: CommonService, settings: Settings) -> None:
        self.service, self.settings = service, settings
        self.app = FaultyApp(service)
        self.address = ADDRESSES[service.name]
        self.certificate, self.key = certificates.ensure(settings.folder / "certificates", service.name, self.address)
        self.server: uvicorn.Server | None = None
        self.serving: asyncio.Task[None] | None = None

    def __repr__(self) -> str:
        return f"<Listener {self.service.name} at {self.address}, {'up' if self.server else 'away'}>"

    @property
    def url(self) -> str:
        return f"https://{self.address}:{self.settings.port}"

    async def up(self) -> None:
        """Listen; returns once connections are taken."""
        config = uvicorn.Config(
            self.app,
            host=self.address,
            port=self.settings.port,
            ssl_certfile=self.certificate,
            ssl_keyfile=self.key,
            log_level="warning",
            access_log=False,
            lifespan="off",
            timeout_keep_alive=30,
            timeout_graceful_shutdown=1,
        )
        config.load()
        self.server = uvicorn.Server(config)
        self.server.install_signal_handlers = lambda: None  # type: ignore[attr-defined]
        self.serving = asyncio.create_task(self.server._serve())
        while not self.server.started:
            if self.serving.done():
                raise SystemExit(f"{self.service.name} cannot listen on {self.url}: the port is in use.")
            await asyncio.sleep(0.02)

    async def away(self) -> None:
        """Close all connections and stop listening."""
        if self.server and self.serving:
            self.server.should_exit = self.server.force_exit = True
            await self.serving
        self.server = None

    def renew_certificate(self) -> None:
        """Have another certificate from the next start on; the first one is kept aside."""
        for file in (self.certificate, self.key):
            aside = file.with_suffix(f"{file.suffix}.first")
            if not aside.exists():
                aside.write_bytes(file.read_bytes())
        certificates.ensure(self.settings.folder / "certificates", self.service.name, self.address, renew=True)

    def restore_certificate(self) -> bool:
        """Put the first certificate back; says whether there was another one."""
        found = False
        for file in (self.certificate, self.key):
            aside = file.with_suffix(f"{file.suffix}.first")
            if aside.exists():
                file.write_bytes(aside.read_bytes())
                aside.unlink()
                found = True
        return found


class Site:
    """The world and all its devices."""

    def __init__(self, settings: Settings) -> None:
        self.settings = settings
        settings.folder.mkdir(parents=True, exist_ok=True)
        self.state_file = settings.folder / "world.json"
        self.world = self._world()
        if settings.pace:
            self.world.pace = settings.pace
        self.contents = Contents(settings.folder / "contents")
        self.listeners = self._listeners()
        self.depot = Depot(settings.folder, settings.port)
        self.dirty = False
        # Nobody has changed the world since it was made new.
        self.untouched = False

    def _world(self) -> World:
        if self.state_file.exists():
            return store.load(self.state_file)
        world = scenario.build(time.time(), self.settings.size)
        for host in world.hosts:
            scan_now(world, host)
        store.save(world, self.state_file)
        return world

    def _passwords(self) -> dict[str, str]:
        file = self.settings.folder / "passwords.json"
        if not file.exists():
            file.touch(mode=0o600)
            file.write_text(json.dumps({name: secrets.token_urlsafe(15) for name in ADDRESSES}))
        found: dict[str, str] = json.loads(file.read_text())
        return found

    def _listeners(self) -> dict[str, Listener]:
        passwords = self._passwords()
        block, slow, file, nvme = (
            self.world.array,
            self.world.slow_array,
            self.world.file_array,
            self.world.nvme_array,
        )
        services: list[CommonService] = [
            ArrayService(block, self.world, passwords[block]),
            ArrayService(slow, self.world, passwords[slow]),
            FileService(file, self.world, passwords[file]),
            NvmeService(nvme, self.world, passwords[nvme]),
        ]
        services += [
            HostService(host.name, self.world, passwords[host.name], self.contents) for host in self.world.hosts
        ]
        for service in services:
            service.changed = self.save
        return {service.name: Listener(service, self.settings) for service in services}

    def save(self) -> None:
        store.save(self.world, self.state_file)
        self.dirty, self.untouched = False, False

    def cards(self) -> list[dict[str, str]]:
        """What a client needs to know of each device."""
        return [
            {
                "name": name,
                "kind": "host" if isinstance(listener.service, HostService) else "array",
                "url": listener.url,
                "user": listener.service.user,
                "password": listener.service.password,
                "certificate": str(listener.certificate.resolve()),
            }
            for name, listener in self.listeners.items()
        ]

    async def pass_time(self) -> None:
        """Let tasks advance for as long as the site runs."""
        last = saved = time.monotonic()
        while True:
            await asyncio.sleep(TICK_SECONDS)
            now = time.monotonic()
            running = any(task.running for task in self.world.tasks)
            ended = advance(self.world, now - last, time.time())
            last, self.dirty = now, self.dirty or running
            if ended or (self.dirty and now - saved > SAVE_SECONDS):
                self.save()
                saved = now


async def serve(settings: Settings) -> None:
    """Run until cancelled; prints one JSON line a device on standard output."""
    site = Site(settings)
    for listener in site.listeners.values():
        await listener.up()
    if not settings.quiet:
        for card in site.cards():
            sys.stdout.write(json.dumps(card) + "\n")
        sys.stdout.flush()
    depot = {"url": site.depot.url, "certificate": str(site.depot.certificate.resolve())}
    (settings.folder / "depot.json").write_text(json.dumps(depot))
    (settings.folder / "devices.json").write_text(json.dumps(site.cards()))
    jobs = [site.pass_time(), site.depot.server()._serve()]
    if settings.control_port:
        config = uvicorn.Config(
            door_app(site), host="127.0.0.1", port=settings.control_port, log_level="warning", lifespan="off"
        )
        door = uvicorn.Server(config)
        jobs.append(door._serve())
    with contextlib.suppress(asyncio.CancelledError):
        await asyncio.gather(*jobs)
    site.save()


def main(settings: Settings) -> None:
    """Run until SIGINT or SIGTERM; the state is saved on the way out."""
    logging.basicConfig(level=logging.WARNING)

    async def until_stopped() -> None:
        import signal

        loop, job = asyncio.get_running_loop(), asyncio.create_task(serve(settings))
        for number in (signal.SIGINT, signal.SIGTERM):
            loop.add_signal_handler(number, job.cancel)
        with contextlib.suppress(asyncio.CancelledError):
            await job

    asyncio.run(until_stopped())
