"""Move Lot as units of systemd: the same processes that the supervisor keeps, for an installation that starts at boot.

usage: units.py FOLDER [ACCOUNT]
"""

from __future__ import annotations

import os
import pwd
import sys
from pathlib import Path

from processes import STOP_SECONDS, STOP_SECONDS_ELSE, Process, processes
from services import ROOT, RUN

# What no process of ours needs: to gain rights, to see other people's files, devices or kernels, to write elsewhere.
SANDBOX = (
    "NoNewPrivileges=yes",
    "CapabilityBoundingSet=",
    "ProtectSystem=strict",
    f"ReadWritePaths={RUN}",
    "ProtectHome=read-only",
    "PrivateTmp=yes",
    "PrivateDevices=yes",
    "ProtectClock=yes",
    "ProtectControlGroups=yes",
    "ProtectHostname=yes",
    "ProtectKernelLogs=yes",
    "ProtectKernelModules=yes",
    "ProtectKernelTunables=yes",
    "ProtectProc=invisible",
    "RestrictAddressFamilies=AF_UNIX AF_INET AF_INET6",
    "RestrictNamespaces=yes",
    "RestrictRealtime=yes",
    "RestrictSUIDSGID=yes",
    "LockPersonality=yes",
    "SystemCallArchitectures=native",
    "SystemCallFilter=@system-service",
    "UMask=0077",
)
SERVERS = ("mariadb", "redis")
TARGET = """[Unit]
Description=Move Lot
Wants={wanted}

[Install]
WantedBy=multi-user.target
"""


def name_of(process: Process) -> str:
    """The unit of a process."""
    return f"movelot-{process.name}.service"


def unit(process: Process, account: str, environment: dict[str, str]) -> str:
    """A unit that starts its process anew whenever it ends, three seconds later."""
    after = "network-online.target" if process.name in SERVERS else " ".join(f"movelot-{s}.service" for s in SERVERS)
    lines = ["[Unit]", f"Description=Move Lot: {process.name}", "PartOf=movelot.target", f"After={after}"]
    lines += ["StartLimitIntervalSec=0", "", "[Service]", f"User={account}", f"WorkingDirectory={process.folder}"]
    lines += [f'Environment="{name}={value}"' for name, value in environment.items()]
    lines += [f"ExecStart={' '.join(_word(word) for word in process.command)}", "Restart=always", "RestartSec=3"]
    lines += [f"TimeoutStopSec={STOP_SECONDS.get(process.name, STOP_SECONDS_ELSE)}", *SANDBOX]
    return "\n".join([*lines, "", "[Install]", "WantedBy=movelot.target", ""])


def _word(word: str) -> str:
    return word.replace("%", "%%")


def write(folder: Path, account: str, environment: dict[str, str]) -> list[Path]:
    """All units, with their target, in ``folder``. Returns the files."""
    folder.mkdir(parents=True, exist_ok=True)
    texts = {name_of(process): unit(process, account, environment) for process in processes()}
    texts["movelot.target"] = TARGET.format(wanted=" ".join(texts))
    for name, text in texts.items():
        (folder / name).write_text(text)
    return [folder / name for name in texts]


def environment() -> dict[str, str]:
    """What the processes find in their environment: paths, and all that was set for Move Lot when this was called."""
    ours = {name: value for name, value in os.environ.items() if name.startswith("MOVELOT_")}
    path = os.pathsep.join(str(ROOT / room) for room in ("core", "server"))
    fixed = {"PYTHONPATH": path, "DJANGO_SETTINGS_MODULE": "movelot.settings", "PYTHONUNBUFFERED": "1"}
    return {**ours, "MOVELOT_RUN": str(RUN), **fixed, "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}


if __name__ == "__main__":
    account = sys.argv[2] if len(sys.argv) > 2 else pwd.getpwuid(os.geteuid()).pw_name
    for file in write(Path(sys.argv[1]), account, environment()):
        print(file)
