"""MariaDB and Redis of our own: data, sockets and logs under the run folder, loopback only, ports of ours.

Standard library only, as it runs before anything is installed. The distribution's own instances are not touched.
"""

from __future__ import annotations

import os
import secrets
import shutil
import socket
import subprocess
import sys
import time
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
RUN = Path(os.environ.get("MOVELOT_RUN", ROOT / ".run")).resolve()
DB_PORT = int(os.environ.get("MOVELOT_DB_PORT", "13306"))
REDIS_PORT = int(os.environ.get("MOVELOT_REDIS_PORT", "16379"))
FREE_BYTES_MIN = 1024**3


class SetupError(SystemExit):
    """Ends the command with one clear line."""

    def __init__(self, line: str) -> None:
        super().__init__(f"movelot: {line}")


def check_disk() -> None:
    """A full disk is said before anything half-starts."""
    RUN.mkdir(parents=True, exist_ok=True)
    free = shutil.disk_usage(RUN).free
    if free < FREE_BYTES_MIN:
        raise SetupError(f"{RUN} has {free // 2**20} MiB free; 1024 MiB are needed. Free some space and try again.")


def port_taken(port: int, address: str = "127.0.0.1") -> bool:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((address, port))
        except OSError:
            return True
    return False


def require_port(port: int, what: str, variable: str, address: str = "127.0.0.1") -> None:
    if port_taken(port, address):
        raise SetupError(f"port {port} for {what} is in use. Stop what uses it, or set {variable} to another port.")


def key(name: str) -> str:
    """The content of a key file, made at first use; readable by its owner only."""
    file = RUN / "keys" / name
    if not file.exists():
        file.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        file.touch(mode=0o600)
        file.write_text(_new_key(name))
    return file.read_text().strip()


def _new_key(name: str) -> str:
    if name == "devices":
        import base64

        return base64.urlsafe_b64encode(secrets.token_bytes(32)).decode()
    return secrets.token_urlsafe(40)


def alive(pid_file: Path) -> bool:
    try:
        os.kill(int(pid_file.read_text()), 0)
    except (OSError, ValueError):
        return False
    return True


def start_mariadb() -> None:
    """Start MariaDB unless ours runs; make its data folder and the account on first use."""
    folder, socket_file, pid_file = RUN / "mariadb", RUN / "mariadb.sock", RUN / "mariadb.pid"
    if alive(pid_file) and port_taken(DB_PORT):
        return
    require_port(DB_PORT, "MariaDB", "MOVELOT_DB_PORT")
    user = f"--user={os.environ.get('USER', 'root') if os.geteuid() else 'root'}"
    if not (folder / "mysql").exists():
        made = subprocess.run(
            [
                "mariadb-install-db",
                "--no-defaults",
                f"--datadir={folder}",
                user,
                "--auth-root-authentication-method=socket",
                "--skip-test-db",
            ],
            capture_output=True,
            text=True,
            check=False,
        )
        if made.returncode:
            raise SetupError(
                f"MariaDB could not make its data folder: {(made.stderr or made.stdout).strip().splitlines()[-1]}"
            )
    scratch = RUN / "mariadb-tmp"
    scratch.mkdir(exist_ok=True)
    log = (RUN / "mariadb.log").open("ab")
    subprocess.Popen(
        [
            "mariadbd",
            "--no-defaults",
            f"--datadir={folder}",
            user,
            f"--socket={socket_file}",
            f"--pid-file={pid_file}",
            f"--tmpdir={scratch}",
            f"--port={DB_PORT}",
            "--bind-address=127.0.0.1",
            "--innodb-buffer-pool-size=256M",
            "--innodb-flush-log-at-trx-commit=1",
            "--character-set-server=utf8mb4",
            "--max-allowed-packet=64M",
            "--skip-name-resolve",
        ],
        stdout=log,
        stderr=log,
        start_new_session=True,
    )
    password = key("database")
    # The socket login is root's alone; the application's account reaches its own databases over loopback.
    statements = (
        f"CREATE USER IF NOT EXISTS 'movelot'@'127.0.0.1' IDENTIFIED BY '{password}';"
        f"ALTER USER 'movelot'@'127.0.0.1' IDENTIFIED BY '{password}';"
        "CREATE DATABASE IF NOT EXISTS movelot CHARACTER SET utf8mb4;"
        "GRANT ALL ON `movelot`.* TO 'movelot'@'127.0.0.1'; GRANT ALL ON `test\\_movelot%`.* TO 'movelot'@'127.0.0.1';"
        "GRANT ALL ON `movelot\\_%`.* TO 'movelot'@'127.0.0.1';"
    )
    _until(lambda: _run_sql(socket_file, statements), "MariaDB", RUN / "mariadb.log")


def _run_sql(socket_file: Path, statements: str) -> bool:
    done = subprocess.run(
        ["mariadb", "--no-defaults", f"--socket={socket_file}"],
        input=statements,
        capture_output=True,
        text=True,
        check=False,
    )
    return done.returncode == 0


def start_redis() -> None:
    """Start Redis unless ours runs."""
    pid_file = RUN / "redis.pid"
    if alive(pid_file) and port_taken(REDIS_PORT):
        return
    require_port(REDIS_PORT, "Redis", "MOVELOT_REDIS_PORT")
    (RUN / "redis").mkdir(exist_ok=True)
    subprocess.run(
        [
            "redis-server",
            "--bind",
            "127.0.0.1",
            "--port",
            str(REDIS_PORT),
            "--dir",
            str(RUN / "redis"),
            "--daemonize",
            "yes",
            "--pidfile",
            str(pid_file),
            "--logfile",
            str(RUN / "redis.log"),
            "--save",
            "60 1",
            "--appendonly",
            "yes",
        ],
        check=True,
        capture_output=True,
    )
    _until(lambda: port_taken(REDIS_PORT), "Redis", RUN / "redis.log")


def _until(ready: object, what: str, log: Path) -> None:
    deadline = time.monotonic() + 40
    while time.monotonic() < deadline:
        if ready():  # type: ignore[operator]
            return
        time.sleep(0.1)
    raise SetupError(f"{what} did not start within 40 s; see {log}.")


def start() -> None:
    """Both servers up, keys made."""
    check_disk()
    for name in ("django", "devices", "database"):
        key(name)
    start_mariadb()
    start_redis()


def stop() -> None:
    """Both servers down, data kept."""
    for name in ("mariadb", "redis"):
        pid_file = RUN / f"{name}.pid"
        if alive(pid_file):
            pid = int(pid_file.read_text())
            os.kill(pid, 15)
            for _ in range(300):
                if not alive(pid_file):
                    break
                time.sleep(0.1)


if __name__ == "__main__":
    {"start": start, "stop": stop}[sys.argv[1]]()
