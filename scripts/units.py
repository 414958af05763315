"""Move Lot as units of systemd: what the supervisor keeps, for an installation that starts at boot."""

from __future__ import annotations

from pathlib import Path

from processes import SERVERS, Process, processes
from services import RUN

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
    lines += [f"TimeoutStopSec={process.stop_seconds}", *SANDBOX]
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
