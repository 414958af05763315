"""A depot of disk images: a small HTTPS server with files, their checksums, and the troubles that depots have."""

from __future__ import annotations

import hashlib
import random
from collections.abc import Callable, Iterator
from pathlib import Path

import uvicorn
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import PlainTextResponse, Response, StreamingResponse
from starlette.routing import Route

from movelot_standins import certificates
from movelot_standins.image_files import PackedMachine, ova, qcow2, single_files

NAME, ADDRESS = "depot", "127.40.0.50"
MIB, GIB = 1024**2, 1024**3
# Small ones: their zeros are read and summed too.
SIZE = GIB // 4
CHUNK = 64 * 1024
SUMS = "SHA256SUMS"
# Its sum in the list is not that of its contents; it breaks off in the middle, once.
WRONG, BREAKS = "tide-gauge.qcow2", "reefer-agent.qcow2"


def _noise(seed: int, length: int) -> bytes:
    return random.Random(seed).randbytes(length)


def _berth_scribe() -> bytes:
    disks = ((4 * SIZE, {0: _noise(5, MIB), SIZE: _noise(6, MIB)}), (2 * SIZE, {0: _noise(7, MIB)}))
    return ova(PackedMachine("berth-scribe", "Linux 6.1", 2, 2048, disks))


# A package as single files; one of them is missing for the second one.
PILOT = PackedMachine("pilot-log", "Linux 6.1", 1, 1024, ((SIZE, {0: _noise(9, MIB)}), (SIZE, {MIB: _noise(10, MIB)})))
LOST = PackedMachine("light-keeper", "Linux 6.1", 1, 1024, ((SIZE, {0: _noise(11, MIB)}),))


def _one_of(machine: PackedMachine, name: str) -> Callable[[], bytes]:
    return lambda: single_files(machine)[name]


FILES: dict[str, Callable[[], bytes]] = {
    "harbour-linux.qcow2": lambda: qcow2(SIZE, {0: _noise(1, 2 * MIB), 128 * MIB: _noise(2, 2 * MIB)}),
    "gate-terminal.qcow2": lambda: qcow2(2 * SIZE, {0: b"gate terminal " * 100_000}, compressed=True),
    "quay-overlay.qcow2": lambda: qcow2(SIZE, {0: _noise(3, MIB)}, backing="harbour-linux.qcow2"),
    WRONG: lambda: qcow2(SIZE, {0: _noise(4, MIB)}),
    BREAKS: lambda: qcow2(SIZE, {MIB: _noise(8, 4 * MIB)}),
    "berth-scribe.ova": _berth_scribe,
    **{f"{PILOT.name}{end}": _one_of(PILOT, f"{PILOT.name}{end}") for end in (".ovf", "-disk1.img", "-disk2.img")},
    f"{LOST.name}.ovf": _one_of(LOST, f"{LOST.name}.ovf"),
}


class Depot:
    """The files in a folder, and the server that gives them out, whole or in part."""

    def __init__(self, folder: Path, port: int) -> None:
        self.folder, self.port = folder / NAME, port
        self.certificate, self.key = certificates.ensure(folder / "certificates", NAME, ADDRESS)
        self.broke = False
        self.folder.mkdir(parents=True, exist_ok=True)
        for name, made in FILES.items():
            if not (self.folder / name).exists():
                (self.folder / name).write_bytes(made())
        sums = {name: hashlib.sha256((self.folder / name).read_bytes()).hexdigest() for name in FILES}
        sums[WRONG] = hashlib.sha256(b"what it was once").hexdigest()
        (self.folder / SUMS).write_text("".join(f"{digest}  {name}\n" for name, digest in sums.items()))

    @property
    def url(self) -> str:
        return f"https://{ADDRESS}:{self.port}/"

    def server(self) -> uvicorn.Server:
        """A server that is ready to be run."""
        app = Starlette(routes=[Route("/{name}", self._file, methods=["GET", "HEAD"])])
        return uvicorn.Server(
            uvicorn.Config(
                app,
                host=ADDRESS,
                port=self.port,
                ssl_certfile=self.certificate,
                ssl_keyfile=self.key,
                log_level="critical",
                access_log=False,
                lifespan="off",
            )
        )

    async def _file(self, request: Request) -> Response:
        path = self.folder / request.path_params["name"]
        if path.name not in (*FILES, SUMS):
            return PlainTextResponse("There is no such file.\n", 404)
        size = path.stat().st_size
        tag = f'"{size:x}-{path.stat().st_mtime_ns:x}"'
        begin = _begin(request, tag)
        headers = {"ETag": tag, "Accept-Ranges": "bytes", "Content-Length": str(size - begin)}
        if begin:
            headers["Content-Range"] = f"bytes {begin}-{size - 1}/{size}"
        end = size
        if path.name == BREAKS and not self.broke and not begin and request.method == "GET":
            self.broke, end = True, size // 2
        return StreamingResponse(_parts(path, begin, end), 206 if begin else 200, headers)


def _begin(request: Request, tag: str) -> int:
    """From which byte on the file is asked for (RFC 9110): 0 for the whole of it."""
    wanted = request.headers.get("range", "")
    if not wanted.startswith("bytes=") or not wanted.endswith("-") or request.headers.get("if-range", tag) != tag:
        return 0
    first = wanted[len("bytes=") : -1]
    return int(first) if first.isdigit() else 0


def _parts(path: Path, begin: int, end: int) -> Iterator[bytes]:
    with path.open("rb") as file:
        file.seek(begin)
        while file.tell() < end:
            yield file.read(min(CHUNK, end - file.tell()))
