"""Our own MariaDB server: on loopback, on its own data folder, on a port that nobody else has."""

import os
import pwd
import shutil
import socket
import subprocess
import time
from dataclasses import dataclass
from pathlib import Path

import MySQLdb

from pulley.core.files import secret
from pulley.local import processes

DATABASE = "pulley"
PATIENCE = 60.0  # seconds for the server to come up or to stop


@dataclass
class Server:
    """A MariaDB server, and its process where we started it."""

    process: subprocess.Popen[bytes] | None
    port: int
    password: str

    def environment(self) -> dict[str, str]:
        """What the Django settings need to reach it."""
        return {
            "PULLEY_DB_HOST": "127.0.0.1",
            "PULLEY_DB_PORT": str(self.port),
            "PULLEY_DB_USER": DATABASE,
            "PULLEY_DB_NAME": DATABASE,
            "PULLEY_DB_PASSWORD": self.password,
        }

    def stop(self) -> None:
        """Let it write everything down and end."""
        if self.process:
            processes.stop(self.process, PATIENCE)


def free_port() -> int:
    """A TCP port on loopback that nobody listens on."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def start(folder: Path, port: int | None = None) -> Server:
    """Start a server on ``folder`` and wait until it answers; made ready first when the folder is new.

    Raises RuntimeError, with the end of its log, when it does not come up.
    """
    data = folder / "data"
    if not (data / "mysql").is_dir():
        _create(data)
    password = secret(folder / "password")
    first = folder / "first.sql"
    _write_private(first, _grants(password))
    port = port or free_port()
    log = folder / "server.log"
    command = [
        _program("mariadbd"), "--no-defaults", f"--datadir={data}", f"--user={_me()}", "--bind-address=127.0.0.1",
        f"--port={port}", "--socket=s.sock", "--pid-file=p.pid", f"--init-file={first}",
        "--character-set-server=utf8mb4", "--collation-server=utf8mb4_unicode_ci", "--skip-name-resolve",
        "--max-allowed-packet=256M", "--innodb-buffer-pool-size=128M", "--performance-schema=OFF",
    ]  # fmt: skip
    log.unlink(missing_ok=True)
    server = Server(processes.start(command, log), port, password)
    try:
        _wait(server, log)
    except BaseException:
        server.stop()
        raise
    (folder / "port").write_text(str(port))
    return server


def running(folder: Path) -> Server | None:
    """The server that another process runs on ``folder``, when it answers; its process is not ours to stop."""
    try:
        server = Server(None, int((folder / "port").read_text()), (folder / "password").read_text())
        _connect(server)
    except (OSError, ValueError, MySQLdb.Error):
        return None
    return server


def _connect(server: Server) -> None:
    MySQLdb.connect(
        host="127.0.0.1", port=server.port, user=DATABASE, password=server.password, connect_timeout=2
    ).close()


def _me() -> str:
    return pwd.getpwuid(os.getuid()).pw_name


def _program(name: str) -> str:
    found = shutil.which(name, path=f"{os.environ.get('PATH', '')}:/usr/sbin:/usr/local/sbin")
    if not found:
        raise RuntimeError(f"{name} is not installed. Start Pulley with ./pulley, which installs it.")
    return found


def _create(data: Path) -> None:
    """An empty data folder, made aside and moved into place, so that half a one is never taken for whole."""
    fresh = data.with_name("data.new")
    shutil.rmtree(fresh, ignore_errors=True)
    fresh.mkdir(parents=True)
    command = [
        _program("mariadb-install-db"), "--no-defaults", f"--datadir={fresh}", f"--user={_me()}",
        "--auth-root-authentication-method=normal", "--skip-test-db",
    ]  # fmt: skip
    done = subprocess.run(command, capture_output=True, text=True, stdin=subprocess.DEVNULL)
    if done.returncode:
        raise RuntimeError(f"The database folder could not be made:\n{(done.stdout + done.stderr)[-2000:]}")
    shutil.rmtree(data, ignore_errors=True)
    fresh.rename(data)


def _write_private(file: Path, text: str) -> None:
    handle = os.open(file, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(handle, "w") as out:
        out.write(text)


def _grants(password: str) -> str:
    """Run at every start: only this password opens the server, and it opens our two databases."""
    lines = [f"ALTER USER root@localhost IDENTIFIED BY '{password}';"]
    lines += [f"CREATE DATABASE IF NOT EXISTS `{DATABASE}` CHARACTER SET utf8mb4;"]
    for host in ("127.0.0.1", "localhost"):
        lines.append(f"CREATE OR REPLACE USER {DATABASE}@'{host}' IDENTIFIED BY '{password}';")
        lines += [f"GRANT ALL ON `{name}`.* TO {DATABASE}@'{host}';" for name in (DATABASE, rf"test\_{DATABASE}%")]
    return "\n".join(lines) + "\n"


def _wait(server: Server, log: Path) -> None:
    until = time.monotonic() + PATIENCE
    while time.monotonic() < until and server.process and server.process.poll() is None:
        try:
            return _connect(server)
        except MySQLdb.OperationalError:
            time.sleep(0.1)
    raise RuntimeError(f"The database did not start. The end of its log:\n{log.read_text(errors='replace')[-2000:]}")
