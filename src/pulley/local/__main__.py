"""What `./pulley COMMAND` runs once the machine is ready."""

import fcntl
import os
import shutil
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path
from types import FrameType

from pulley.core.files import version_of, write_whole
from pulley.local import mariadb, processes
from pulley.local.vendor import refresh

ROOT = Path(__file__).resolve().parents[3]
VAR = Path(os.environ.get("PULLEY_VAR", ROOT / "var")).resolve()
PORT = 8410  # tried first; any free one when it is taken
PROCESSES = 2  # of the web server
WORKERS = 2
ROOM = 300 * 2**20  # bytes that have to be free: the database's own files take half of it
USAGE = """usage: ./pulley COMMAND

  demo       set everything up, load the demo data and serve it on this machine
  serve      the same without demo data; sign in with a user made by `./pulley manage createsuperuser`
  test       run every test; names of tests narrow it: ./pulley test tests.core
  lint       check code style, types, imports between rooms, templates and scripts
  bench      measure; prints ratios against a named alternative
  vendor     refresh static/vendor from package-lock.json
  lock       refresh requirements.txt from pyproject.toml
  pictures   take the pictures in docs/screenshots again
  user       make a user who may sign in: ./pulley user NAME
  manage     a Django management command, with the database running
  inspect, travel, check, matches, along, fits, propose, compare, carry, sheet, export
             headless commands; see ./pulley check --help
"""


def say(text: str) -> None:
    """A line for the person at the terminal."""
    print(text, flush=True)


def python(*words: str) -> list[str]:
    """A command for this Python."""
    return [sys.executable, *words]


@contextmanager
def database(folder: Path) -> Iterator[mariadb.Server]:
    """Our MariaDB on ``folder`` while the block runs; refused when another Pulley has it."""
    check_room(folder)
    with (folder / "lock").open("w") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            sys.exit(f"Pulley already runs on {folder}. Stop it there first.")
        server = mariadb.start(folder)
        os.environ.update(server.environment())
        try:
            yield server
        finally:
            server.stop()


def check_room(folder: Path) -> None:
    """Make ``folder`` where it is missing, and stop here, with a sentence, when nothing can be kept in it."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        free = shutil.disk_usage(folder).free
        if free < ROOM:
            sys.exit(
                f"pulley: {free >> 20} MB are free on the disk of {folder}; Pulley needs {ROOM >> 20} MB to start. "
                "Make room there, or set PULLEY_VAR to a folder on another disk."
            )
        write_whole(folder / "room", b"Pulley may write here.\n")
    except OSError as error:
        sys.exit(
            f"pulley: nothing can be kept in {folder}: {error.strerror}. Make it writable, "
            "or set PULLEY_VAR to another folder."
        )


def manage(*words: str) -> None:
    """Run a Django management command; stop here when it fails."""
    status = subprocess.run(python(str(ROOT / "manage.py"), *words)).returncode
    if status:
        sys.exit(status)


def _wanted(name: str, otherwise: int) -> int:
    """A whole number from the environment; stops here, with a sentence, when it is none."""
    text = os.environ.get(name, str(otherwise))
    if not text.isascii() or not text.isdigit() or int(text) > 65535:
        sys.exit(f"pulley: {name} is “{text}”. Set it to a whole number, or leave it out.")
    return int(text)


def web_socket() -> socket.socket:
    """A socket that listens at PULLEY_PORT, else at the usual port when that is free, else at any."""
    asked = _wanted("PULLEY_PORT", 0)
    for port in [asked] if asked else [PORT, 0]:
        try:
            found = socket.create_server(("127.0.0.1", port), backlog=1024)
        except OSError as error:
            if port == 0 or asked:
                sys.exit(f"pulley: port {port} cannot be listened at: {error.strerror}. Set PULLEY_PORT to another.")
            continue
        os.set_inheritable(found.fileno(), True)
        return found
    raise AssertionError("any free port is tried last")


def start_web(listening: socket.socket, log: Path) -> subprocess.Popen[bytes]:
    """One process of the web server, on a socket that it shares."""
    number = listening.fileno()
    return processes.start(python("-m", "pulley.web.server", str(number)), log, pass_fds=[number])


def children(server: mariadb.Server, listening: socket.socket) -> list[processes.Watched]:
    """The database, the web server's processes and the workers, to be kept running."""
    log = VAR / "log"
    log.mkdir(parents=True, exist_ok=True)
    work, workers = python(str(ROOT / "manage.py"), "work"), max(_wanted("PULLEY_WORKERS", WORKERS), 1)

    def restart_database() -> subprocess.Popen[bytes]:
        process = mariadb.start(VAR / "mariadb", server.port).process
        assert process  # `start` has started it
        server.process = process
        return process

    def again() -> subprocess.Popen[bytes]:
        return start_web(listening, log / "web.log")

    return [
        processes.Watched("database", restart_database, server.process),
        *(processes.Watched("web server", again) for _ in range(max(_wanted("PULLEY_PROCESSES", PROCESSES), 1))),
        *(processes.Watched("worker", lambda: processes.start(work, log / "worker.log")) for _ in range(workers)),
        processes.Watched("publisher", lambda: processes.start([*work, "--long"], log / "publisher.log")),
    ]


def serve(demo: bool) -> int:
    """Set up, start everything, and serve until stopped."""
    os.environ |= {"PULLEY_VAR": str(VAR), "PULLEY_DEMO": "1" if demo else "0"}
    for name in ("PULLEY_STAND_BACK", "PULLEY_LOOK_AHEAD", "PULLEY_FINE"):
        _wanted(name, 0)
    for number in (signal.SIGINT, signal.SIGTERM):  # also where a shell started us with Ctrl-C ignored
        signal.signal(number, _interrupt)
    with database(VAR / "mariadb") as server:
        collect()
        manage("prepare", *(["--demo"] if demo else []))
        listening = web_socket()
        port = listening.getsockname()[1]
        watched = children(server, listening)
        try:
            for child in watched:
                child.ensure()
            _wait_for_web(port, watched[1])
            say(f"\nPulley is at  http://127.0.0.1:{port}/")
            say("You are signed in as the demo user." if demo else "Sign in with your user.")
            say("Stop with Ctrl-C; everything is kept. Logs are in var/log.")
            processes.watch(watched, say)
        except KeyboardInterrupt:
            say("\nStopping ...")
        finally:
            for child in reversed(watched[1:]):
                if child.process:
                    processes.stop(child.process)
    return 0


def _interrupt(_number: int, _frame: FrameType | None) -> None:
    raise KeyboardInterrupt


def _wait_for_web(port: int, web: processes.Watched) -> None:
    for _ in range(300):
        try:
            with urllib.request.urlopen(f"http://127.0.0.1:{port}/alive", timeout=5):
                return
        except (urllib.error.URLError, OSError):
            if web.process and web.process.poll() is not None:
                break
            time.sleep(0.1)
    sys.exit(f"The web server did not start; see {VAR / 'log' / 'web.log'}.")


def warm_kernels() -> None:
    """Compile the contact kernels before anything is measured or waits for them."""
    subprocess.run(python("-m", "pulley.core.warm"), check=True)


def collect() -> None:
    """Scripts, styles and fonts in one folder, under names with their hashes; once for each version of them."""
    kept = Path(os.environ["PULLEY_VAR"])
    sources = [
        "src/pulley/web/static",
        "src/pulley/core/drawing/lettering/font",
        "src/pulley/web/statics.py",
        "requirements.txt",
    ]
    stamp, version = kept / "static.version", version_of(*(ROOT / source for source in sources))
    if (kept / "static").exists() and stamp.exists() and stamp.read_text() == version:
        return
    unused = ["--ignore=*.d.ts", "--ignore=django_htmx"]
    manage("collectstatic", "--noinput", "--clear", "--verbosity=0", *unused)
    write_whole(stamp, version.encode())


def run_tests(words: Sequence[str]) -> int:
    """Every test, or those named, on a database of their own."""
    os.environ["PULLEY_STAND_BACK"] = "0"  # groups of tests side by side would starve their own workers
    os.environ["PULLEY_LOOK_AHEAD"] = "0"  # what many tests have brought in would keep the worker of one for minutes
    os.environ.setdefault("PULLEY_LOG", "CRITICAL")  # what tests provoke on purpose is not worth a line
    os.environ |= {"PULLEY_VAR": str(VAR / "test"), "PULLEY_DEMO": "1", "DJANGO_ALLOW_ASYNC_UNSAFE": "1"}
    warm_kernels()
    with database(VAR / "test" / "mariadb"):
        collect()
        if words:
            return subprocess.run(_test_command(*words), cwd=ROOT, env=os.environ | _own_place(0)).returncode
        return _test_everything()


def _own_place(number: int) -> dict[str, str]:
    """The environment of a group of tests: a database and a folder that hold nothing, from before or of others."""
    folder = VAR / "test" / f"group-{number}"
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir()
    (folder / "static").symlink_to(VAR / "test" / "static")
    return {"PULLEY_VAR": str(folder), "PULLEY_DB_NAME": f"pulley_{number}"}


BESIDE = (  # groups of tests, each of which takes about as long as all that are in none
    ("core", "browser.test_sheets"),
    ("reference", "browser.test_editor", "browser.test_watching"),
    ("web", "publish", "browser.test_assembling", "browser.test_first_slice", "browser.test_publishing"),
)


def _parts() -> list[list[str]]:
    """Every test, in groups to run side by side that take about as long."""
    folders = {folder.parent.name for folder in (ROOT / "tests").glob("*/__init__.py")} - {"browser"}
    files = {f"browser.{file.stem}" for file in (ROOT / "tests/browser").glob("test_*.py")}
    rest = (folders | files).difference(*BESIDE)
    return [[f"tests.{name}" for name in group] for group in (sorted(rest), *BESIDE)]


def _test_command(*names: str) -> list[str]:
    return python(str(ROOT / "manage.py"), "test", "--noinput", "-t", str(ROOT), *names)


def _test_everything() -> int:
    """Every test, in groups side by side, each in a place of its own; what the others say follows the first."""
    first, *others = _parts()
    beside = {}
    for number, names in enumerate(others, 1):
        log = VAR / "test" / f"beside-{number}.log"
        log.unlink(missing_ok=True)
        beside[log] = processes.start(_test_command(*names), log, _own_place(number))
    try:
        failed = subprocess.run(_test_command(*first), cwd=ROOT, env=os.environ | _own_place(0)).returncode
        failed = max([failed, *(abs(process.wait()) for process in beside.values())])
    finally:
        for process in beside.values():
            processes.stop(process)
    for log, names in zip(beside, others, strict=True):
        print(f"\n{', '.join(names)}:\n{log.read_text(errors='replace')}", flush=True)
    return failed


def run_bench(words: Sequence[str]) -> int:
    """Every benchmark, or those named."""
    os.environ |= {"PULLEY_VAR": str(VAR / "bench"), "PULLEY_DEMO": "1", "DJANGO_ALLOW_ASYNC_UNSAFE": "1"}
    shutil.rmtree(VAR / "bench", ignore_errors=True)  # what an earlier run changed in the demo data would count
    warm_kernels()
    with database(VAR / "bench" / "mariadb"):
        collect()
        return subprocess.run(python("-m", "benchmarks", *words), cwd=ROOT).returncode


def take_pictures(_words: Sequence[str]) -> int:
    """The pictures in docs/screenshots, made from demo data."""
    os.environ["PULLEY_PICTURES"] = str(ROOT / "docs" / "screenshots")
    return run_tests(["tests.browser.pictures"])


def lint(_words: Sequence[str]) -> int:
    """Style, types, imports between rooms, templates, scripts."""
    places = ["src", "tests", "demo", "benchmarks", "manage.py"]
    commands = [
        python("-m", "ruff", "check", *places),
        python("-m", "ruff", "format", "--check", *places),
        python("-m", "mypy"),
        [str(Path(sys.executable).with_name("lint-imports"))],
        python("-m", "djlint", "--lint", "--quiet", "src/pulley/web"),
        ["node_modules/.bin/eslint", "src/pulley/web/static/pulley"],
        ["node_modules/.bin/tsc", "--project", "jsconfig.json"],
    ]
    with ThreadPoolExecutor(os.cpu_count()) as pool:
        done = list(pool.map(lambda command: subprocess.run(command, cwd=ROOT, capture_output=True), commands))
    for each in done:
        sys.stdout.buffer.write(each.stdout + each.stderr)
    return max(each.returncode for each in done)


def lock(_words: Sequence[str]) -> int:
    """Pin every Python dependency with hashes."""
    command = python(
        "-m", "piptools", "compile", "--quiet", "--extra=test", "--generate-hashes", "--allow-unsafe", "--strip-extras",
        "--no-emit-index-url", "--no-emit-trusted-host", "--no-header", "-o", "requirements.txt", "pyproject.toml",
    )  # fmt: skip
    return subprocess.run(command, cwd=ROOT).returncode


def vendor(_words: Sequence[str]) -> int:
    """Copy what the application ships to the browser out of node_modules."""
    lettering = ROOT / "src/pulley/core/drawing/lettering/font"
    refresh(ROOT / "node_modules", ROOT / "src/pulley/web/static/vendor", lettering)
    return 0


def add_user(words: Sequence[str]) -> int:
    """Make a user, with a password that is not easily guessed."""
    return run_manage(["add_user", *words])


def run_manage(words: Sequence[str]) -> int:
    """A Django management command, on the running database or one started for it."""
    os.environ["PULLEY_VAR"] = str(VAR)
    server = mariadb.running(VAR / "mariadb")
    if server:
        os.environ.update(server.environment())
        manage(*words)
    else:
        with database(VAR / "mariadb"):
            manage("migrate", "--verbosity=0")
            manage(*words)
    return 0


COMMANDS: dict[str, Callable[[Sequence[str]], int]] = {
    "demo": lambda _: serve(demo=True),
    "serve": lambda _: serve(demo=False),
    "test": run_tests,
    "bench": run_bench,
    "pictures": take_pictures,
    "lint": lint,
    "lock": lock,
    "vendor": vendor,
    "user": add_user,
    "manage": run_manage,
}


def main(argv: Sequence[str]) -> int:
    """Run one command; what is not ours goes to the headless commands of core."""
    if not argv or argv[0] in ("help", "--help", "-h"):
        print(USAGE)
        return 0 if argv else 2
    if argv[0] in COMMANDS:
        try:
            return COMMANDS[argv[0]](argv[1:])
        except (OSError, RuntimeError) as error:
            sys.exit(f"pulley: {error}")
    from pulley.core.cli import main as headless

    return headless(argv)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
