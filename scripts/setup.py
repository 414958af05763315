"""Installs what Move Lot needs and skips what is there: Debian packages, Python packages, front end.

Standard library only. Each part leaves a stamp of what it was made from under the run folder.
"""

from __future__ import annotations

import hashlib
import os
import shutil
import subprocess
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent))
from services import ROOT, RUN, SetupError, check_disk

UV_VERSION = "0.13.9"
PACKAGES = {
    "mariadb-server": "/usr/sbin/mariadbd",
    "libmariadb-dev": "/usr/bin/mariadb_config",
    "redis-server": "/usr/bin/redis-server",
    "chromium": "/usr/bin/chromium",
    "gcc": "/usr/bin/gcc",
    "pkg-config": "/usr/bin/pkg-config",
}
VENV = ROOT / ".venv"
WEB_SOURCES = ("src", "index.html", "package-lock.json", "vite.config.ts", "tsconfig.json", "public")


def _run(command: list[str], what: str, cwd: Path = ROOT, **environment: str) -> None:
    done = subprocess.run(
        command, cwd=cwd, env={**os.environ, **environment}, capture_output=True, text=True, check=False
    )
    if done.returncode:
        tail = "\n".join((done.stdout + done.stderr).strip().splitlines()[:12])
        raise SetupError(f"{what} failed: {' '.join(command)}\n{tail}")


def _stamped(name: str, parts: list[Path]) -> tuple[bool, Path, str]:
    digest = hashlib.sha256()
    for part in sorted(parts):
        digest.update(str(part.relative_to(ROOT)).encode() + part.read_bytes())
    stamp = RUN / "stamps" / name
    stamp.parent.mkdir(parents=True, exist_ok=True)
    return stamp.exists() and stamp.read_text() == digest.hexdigest(), stamp, digest.hexdigest()


def debian_packages() -> None:
    """Debian packages, installed as root; otherwise the one line to run."""
    missing = [package for package, file in PACKAGES.items() if not Path(file).exists()]
    if not missing:
        return
    line = f"apt-get install -y --no-install-recommends {' '.join(missing)}"
    if os.geteuid() or not shutil.which("apt-get"):
        raise SetupError(f"missing Debian packages. Run: sudo {line}")
    print(f"installing {', '.join(missing)}", flush=True)
    # The packages' own services are of no use here and must not start.
    policy = Path("/usr/sbin/policy-rc.d")
    ours = not policy.exists()
    if ours:
        policy.write_text("#!/bin/sh\nexit 101\n")
        policy.chmod(0o755)
    try:
        _run(["apt-get", "update", "-qq"], "refreshing Debian's package list")
        _run(["env", "DEBIAN_FRONTEND=noninteractive", *line.split(), "-qq"], "installing Debian packages")
    finally:
        if ours:
            policy.unlink()


def python_packages() -> None:
    """The locked Python packages in .venv, through uv."""
    fresh, stamp, digest = _stamped("python", [ROOT / "uv.lock", ROOT / "pyproject.toml"])
    if fresh and (VENV / "bin" / "python").exists():
        return
    bootstrap = RUN / "bootstrap"
    if not (bootstrap / "bin" / "uv").exists():
        _run([sys.executable, "-m", "venv", str(bootstrap)], "making the environment for uv")
        _run([str(bootstrap / "bin" / "pip"), "install", "-q", f"uv=={UV_VERSION}"], "installing uv")
    print("installing Python packages", flush=True)
    # Compiled here once: otherwise each process does it when it starts, where nothing may be written beside the code.
    _run(
        [str(bootstrap / "bin" / "uv"), "sync", "--frozen", "-q", "--python", sys.executable],
        "installing Python packages",
        UV_COMPILE_BYTECODE="1",
    )
    stamp.write_text(digest)


def front_end() -> None:
    """Locked npm packages and the built front end."""
    web = ROOT / "web"
    if not shutil.which("npm"):
        raise SetupError("npm is missing. Install Node.js 20 and try again.")
    fresh, stamp, digest = _stamped("npm", [web / "package-lock.json"])
    if not fresh or not (web / "node_modules").exists():
        print("installing front-end packages", flush=True)
        _run(["npm", "ci", "--no-audit", "--no-fund", "--loglevel=error"], "npm ci", web)
        stamp.write_text(digest)
    sources = [
        f
        for name in WEB_SOURCES
        for f in ([web / name] if (web / name).is_file() else (web / name).rglob("*"))
        if f.is_file()
    ]
    fresh, stamp, digest = _stamped("web", sources)
    if not fresh or not (web / "dist" / "index.html").exists():
        print("building the front end", flush=True)
        _run(["npm", "run", "-s", "build"], "building the front end", web)
        stamp.write_text(digest)


def everything() -> None:
    check_disk()
    debian_packages()
    python_packages()
    front_end()


if __name__ == "__main__":
    everything()
