"""Databases of the benchmarks' own, made anew on our MariaDB."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "scripts"))
import services


def fresh(name: str) -> None:
    """An empty database ``name`` (it has to begin with movelot_, as the account may use no other)."""
    text = f"DROP DATABASE IF EXISTS {name}; CREATE DATABASE {name} CHARACTER SET utf8mb4;"
    socket = services.RUN / "mariadb.sock"
    subprocess.run(["mariadb", "--no-defaults", f"--socket={socket}"], input=text, text=True, check=True)
