"""Faults that the control door switches on, one device at a time.

refuse      every request is answered 503
timeout     requests hang for a minute before anything is done
slow        every answer comes n milliseconds late
cut         the next n answers end in their middle
drop        the n-th action is done, then the connection is closed in the middle of the answer
lost        as drop, and from then on every request is answered 503
expire      all session tokens are forgotten, once
fail_nth    the n-th action (POST, PATCH or DELETE) from now is answered 500 and not done
certificate the device shows another certificate from now on (stays)
away        nothing listens until the fault is cleared
nonsense    collections have no Members
strange     sizes are words, and names are numbers
html        every answer is a page of HTML
endless     every answer goes on for ever
"""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator, Awaitable, Callable
from dataclasses import dataclass
from typing import Any

from starlette.requests import Request
from starlette.responses import HTMLResponse, JSONResponse, Response, StreamingResponse
from starlette.types import Receive, Scope, Send

from movelot_standins.redfish import SESSION_PATH, Service, error

KINDS = (
    "refuse",
    "timeout",
    "slow",
    "cut",
    "drop",
    "lost",
    "expire",
    "fail_nth",
    "certificate",
    "away",
    "nonsense",
    "strange",
    "html",
    "endless",
)
HANG_SECONDS = 60


@dataclass
class Fault:
    """The fault of a device now.

    ``countdown`` counts actions for fail_nth, drop and lost, answers for cut; for slow it is milliseconds.
    """

    kind: str = ""
    countdown: int = 1


class FaultyApp:
    """A device's ASGI application with its fault in front."""

    def __init__(self, service: Service) -> None:
        self.service, self.fault = service, Fault()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            return
        request = Request(scope, receive)
        await (await self._answer(request))(scope, receive, send)

    async def _answer(self, request: Request) -> Response:
        fault = self.fault
        if fault.kind == "refuse":
            return error(503, "ServiceTemporarilyUnavailable", "The service is unavailable.", {"Retry-After": "5"})
        if fault.kind == "timeout":
            await asyncio.sleep(HANG_SECONDS)
        if fault.kind == "slow":
            await asyncio.sleep(fault.countdown / 1000)
        if fault.kind == "cut" and not request.url.path.startswith(SESSION_PATH):
            fault.countdown -= 1
            fault.kind = "cut" if fault.countdown else ""
            return CutResponse(await self.service.answer(request))
        if fault.kind in SPOILED and not request.url.path.startswith(SESSION_PATH):
            return await SPOILED[fault.kind](await self.service.answer(request))
        acts = request.method in ("POST", "PATCH", "DELETE") and not request.url.path.startswith(SESSION_PATH)
        if fault.kind in ("fail_nth", "drop", "lost") and acts:
            fault.countdown -= 1
            if fault.countdown == 0:
                kind, fault.kind = fault.kind, "refuse" if fault.kind == "lost" else ""
                if kind == "fail_nth":
                    return error(500, "InternalError", "The device failed on this action.")
                return CutResponse(await self.service.answer(request))
        return await self.service.answer(request)


class CutResponse(Response):
    """Announces more than it sends: the server closes the connection and the client never learns the outcome."""

    def __init__(self, whole: Response) -> None:
        super().__init__(b"{", status_code=whole.status_code)
        self.headers["content-length"] = "4096"


async def _without_members(whole: Response) -> Response:
    body = json.loads(bytes(whole.body) or b"{}")
    body.pop("Members", None)
    return JSONResponse(body, whole.status_code)


async def _of_other_kinds(whole: Response) -> Response:
    return JSONResponse(_mixed_up(json.loads(bytes(whole.body) or b"{}")), whole.status_code)


def _mixed_up(value: Any) -> Any:
    if isinstance(value, dict):
        return {name: "a lot" if name == "CapacityBytes" else _mixed_up(part) for name, part in value.items()}
    return [_mixed_up(part) for part in value] if isinstance(value, list) else value


async def _as_page(_whole: Response) -> Response:
    return HTMLResponse("<html><body>Welcome</body></html>")


async def _without_end(_whole: Response) -> Response:
    async def parts() -> AsyncIterator[bytes]:
        yield b"["
        while True:
            yield b'"again",' * 8192
            await asyncio.sleep(0)

    return StreamingResponse(parts(), media_type="application/json")


SPOILED: dict[str, Callable[[Response], Awaitable[Response]]] = {
    "nonsense": _without_members,
    "strange": _of_other_kinds,
    "html": _as_page,
    "endless": _without_end,
}
