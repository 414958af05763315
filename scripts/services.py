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


def mariadb_command() -> list[str]:
    """The database server in the foreground."""
    return [
        "mariadbd",
        "--no-defaults",
        f"--datadir={RUN / 'mariadb'}",
        _as_user(),
        f"--socket={RUN / 'mariadb.sock'}",
        f"--pid-file={RUN / 'mariadb.pid'}",
        f"--tmpdir={RUN / 'mariadb-tmp'}",
        f"--port={DB_PORT}",
        "--bind-address=127.0.0.1",
        "--innodb-buffer-pool-size=256M",
        "--innodb-flush-log-at-trx-commit=1",
        "--character-set-server=utf8mb4",
        "--max-allowed-packet=64M",
        "--skip-name-resolve",
    ]


def _as_user() -> str:
    return f"--user={os.environ.get('USER', 'root') if os.geteuid() else 'root'}"


def start_mariadb() -> None:
    """Start MariaDB unless ours runs; make its data folder and the account on first use."""
    if runs("mariadb"):
        return
    require_port(DB_PORT, "MariaDB", "MOVELOT_DB_PORT")
    _make_database_folder()
    _in_background("mariadb")
    password = key("database")
    # The socket login is root's alone; the application's account reaches its own databases over loopback.
    statements = (
        f"CREATE USER IF NOT EXISTS 'movelot'@'127.0.0.1' IDENTIFIED BY '{password}';"
        f"ALTER USER 'movelot'@'127.0.0.1' IDENTIFIED BY '{password}';"
        "CREATE DATABASE IF NOT EXISTS movelot CHARACTER SET utf8mb4;"
        "GRANT ALL ON `movelot`.* TO 'movelot'@'127.0.0.1'; GRANT ALL ON `test\\_movelot%`.* TO 'movelot'@'127.0.0.1';"
        "GRANT ALL ON `movelot\\_%`.* TO 'movelot'@'127.0.0.1';"
    )
    _until(lambda: _run_sql(RUN / "mariadb.sock", statements), "MariaDB", RUN / "mariadb.log")


def _make_database_folder() -> None:
    (RUN / "mariadb-tmp").mkdir(exist_ok=True)
    folder = RUN / "mariadb"
    if (folder / "mysql").exists():
        return
    command = ["mariadb-install-db", "--no-defaults", f"--datadir={folder}", _as_user()]
    command += ["--auth-root-authentication-method=socket", "--skip-test-db"]
    made = subprocess.run(command, capture_output=True, text=True, check=False)
    if made.returncode:
        reason = (made.stderr or made.stdout).strip().splitlines()[-1]
        raise SetupError(f"MariaDB could not make its data folder: {reason}")


def _run_sql(socket_file: Path, statements: str) -> bool:
    done = subprocess.run(
        ["mariadb", "--no-defaults", f"--socket={socket_file}"],
        input=statements,
        capture_output=True,
        text=True,
        check=False,
    )
    return done.returncode == 0


def redis_command() -> list[str]:
    """Redis in the foreground. Its password stands in a file, as commands can be read by everybody."""
    return ["redis-server", str(RUN / "redis.conf")]


def _write_redis_conf() -> None:
    """What Redis holds are queues and caches, which come back by themselves: nothing of it goes to disk."""
    file = RUN / "redis.conf"
    file.touch(mode=0o600)
    lines = ["bind 127.0.0.1", f"port {REDIS_PORT}", f'dir "{RUN}"', f'pidfile "{RUN / "redis.pid"}"', 'save ""']
    file.write_text("\n".join([*lines, "appendonly no", f"requirepass {key('redis')}", ""]))


def start_redis() -> None:
    """Start Redis unless ours runs."""
    _write_redis_conf()
    if runs("redis"):
        return
    require_port(REDIS_PORT, "Redis", "MOVELOT_REDIS_PORT")
    _in_background("redis")
    _until(lambda: port_taken(REDIS_PORT), "Redis", RUN / "redis.log")


COMMANDS = {"mariadb": mariadb_command, "redis": redis_command}
PORTS = {"mariadb": DB_PORT, "redis": REDIS_PORT}


def runs(name: str) -> bool:
    """Whether our server of this name runs; the number of a dead one may be another process's by now."""
    return alive(RUN / f"{name}.pid") and port_taken(PORTS[name])


def _in_background(name: str) -> None:
    with (RUN / f"{name}.log").open("ab") as log:
        subprocess.Popen(COMMANDS[name](), stdout=log, stderr=log, start_new_session=True)


def keep(name: str) -> None:
    """Become the server once the one that runs now has ended: so a supervisor takes over what was started before it."""
    while runs(name):
        time.sleep(0.5)
    command = COMMANDS[name]()
    os.execvp(command[0], command)


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
    for name in ("django", "devices", "database", "redis"):
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
    word, *more = sys.argv[1:]
    {"start": start, "stop": stop, "keep": keep}[word](*more)
