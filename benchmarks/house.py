"""A Pulley of its own to do harm to: started in a folder aside, asked over HTTP as a browser would."""

import contextlib
import html
import http.cookiejar
import os
import re
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.parse
import urllib.request
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from benchmarks.scenes import ROOT
from pulley.local.mariadb import free_port

STARTED = re.compile(r"(http://127\.0\.0\.1:\d+)/")
SENTENCE = re.compile(r'aria-hidden="true">▲</span>\s*<div><span>(.*?)</span>|<h1>.*?</h1>\s*<p>(.*?)</p>', re.S)
PATIENCE = 180.0  # seconds


@dataclass(frozen=True)
class Answer:
    """What came back: status (0 for none), text, headers, and after how many seconds."""

    status: int
    text: str
    headers: dict[str, str]
    seconds: float

    @property
    def sentence(self) -> str:
        """What the answer says to the user."""
        found = SENTENCE.search(self.text)
        return html.unescape((found[1] or found[2]).strip()) if found else ""


class Visitor:
    """A browser without a screen: it keeps cookies and sends the token that goes with them."""

    def __init__(self, address: str) -> None:
        self.address = address
        self.jar = http.cookiejar.CookieJar()
        self.browser = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.jar))

    def get(self, path: str, **headers: str) -> Answer:
        """The page at an address."""
        return self.ask(urllib.request.Request(self.address + path, headers=headers))

    def post(
        self, path: str, fields: dict[str, Any] | None = None, files: dict[str, tuple[str, bytes]] | None = None
    ) -> Answer:
        """Send a form as htmx does."""
        token = next((cookie.value for cookie in self.jar if cookie.name == "csrftoken"), "")
        headers = {"X-CSRFToken": token or "", "HX-Request": "true", "Sec-Fetch-Mode": "cors"}
        data = urllib.parse.urlencode(fields or {}).encode()
        if files:
            data = b"".join(_part(name, *file) for name, file in files.items()) + b"--edge--\r\n"
            headers["Content-Type"] = "multipart/form-data; boundary=edge"
        return self.ask(urllib.request.Request(self.address + path, data, headers))

    def ask(self, request: urllib.request.Request) -> Answer:
        """What comes back for a request."""
        begun = time.monotonic()
        try:
            with self.browser.open(request, timeout=120) as answer:
                status, body, headers = answer.status, answer.read(), dict(answer.headers)
        except urllib.error.HTTPError as error:
            status, body, headers = error.code, error.read(), dict(error.headers)
        except OSError:
            status, body, headers = 0, b"", {}
        return Answer(status, body.decode(errors="replace"), headers, time.monotonic() - begun)

    def sign_in(self, name: str, password: str) -> Answer:
        """Sign in on the page for it."""
        self.get("/accounts/sign-in/")
        return self.post("/accounts/sign-in/", {"username": name, "password": password})

    def bring_in(self, name: str, data: bytes) -> str:
        """Send a file; the address of its job, or what was said against it."""
        answer = self.post("/bring-in", files={"file": (name, data)})
        found = re.search(r'id="job-([0-9a-f-]+)"', answer.text)
        return f"/jobs/{found[1]}/" if found else answer.sentence

    def read(self, job: str, until: str = "job-(?:done|failed|cancelled)") -> str:
        """Wait until a job's article says something."""
        return wait_for(lambda: found.text if re.search(until, (found := self.get(job)).text) else None)


def _part(name: str, file: str, data: bytes) -> bytes:
    head = f'--edge\r\nContent-Disposition: form-data; name="{name}"; filename="{file}"\r\n\r\n'
    return head.encode() + data + b"\r\n"


def wait_for(found: Callable[[], Any], patience: float = PATIENCE) -> Any:
    """What ``found`` gives once it gives something."""
    until = time.monotonic() + patience
    while not (value := found()):
        if time.monotonic() > until:
            raise TimeoutError("waited in vain")
        time.sleep(0.1)
    return value


class House:
    """`./pulley serve` or `demo` on a folder of its own."""

    def __init__(self, folder: Path, command: str = "serve") -> None:
        self.folder, self.command = folder, command
        self.port = free_port()
        self.process: subprocess.Popen[str] | None = None
        self.said = ""

    @property
    def address(self) -> str:
        """Where it answers."""
        return f"http://127.0.0.1:{self.port}"

    def environment(self) -> dict[str, str]:
        """Of its processes."""
        own = {key: value for key, value in os.environ.items() if not key.startswith("PULLEY_DB")}
        return own | {"PULLEY_VAR": str(self.folder), "PULLEY_PORT": str(self.port), "PULLEY_DEMO": "0"}

    def run(self, *words: str, typed: str = "") -> subprocess.CompletedProcess[str]:
        """Another command of the launcher on the same folder."""
        command = [sys.executable, "-m", "pulley.local", *words]
        return subprocess.run(command, input=typed, capture_output=True, text=True, env=self.environment(), cwd=ROOT)

    def start(self) -> float:
        """Start it; seconds until it answers. RuntimeError with what it said when it ends instead."""
        begun, self.said = time.monotonic(), ""
        command = [sys.executable, "-m", "pulley.local", self.command]
        self.process = subprocess.Popen(
            command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, env=self.environment(), cwd=ROOT
        )
        for line in self.process.stdout:
            self.said += line
            if STARTED.search(line):
                return time.monotonic() - begun
        raise RuntimeError(self.said)

    def stop(self, how: int = signal.SIGINT) -> float:
        """Stop it; seconds until it has ended."""
        begun = time.monotonic()
        if how == signal.SIGKILL:  # as when the power goes: everything at once
            for pid in [*self.pids(), self.process.pid]:
                _kill(pid)
        else:
            self.process.send_signal(how)
        self.process.wait(60)
        self.process.stdout.close()
        wait_for(lambda: not self.pids())
        return time.monotonic() - begun

    def pids(self, word: str = "") -> list[int]:
        """Its child processes whose command has a word in it; readers, whose environment is bare, by their parents."""
        mine = f"PULLEY_VAR={self.folder}\0".encode()
        known = [status for status in map(_status, Path("/proc").glob("[0-9]*")) if status]
        own = {pid for pid, _, _, environment in known if mine in environment}
        own |= {pid for pid, parent, _, _ in known if parent in own}
        own -= {self.process.pid} if self.process else set()
        return [pid for pid, _, command, _ in known if pid in own and word in command]

    def kill(self, word: str, most: int | None = None) -> int:
        """Kill its processes whose command has a word in it, all or so many; how many."""
        found = self.pids(word)[:most]
        for pid in found:
            _kill(pid)
        return len(found)

    def answers(self) -> bool:
        """Whether its web server does."""
        with socket.socket() as probe:
            probe.settimeout(2)
            return probe.connect_ex(("127.0.0.1", self.port)) == 0 and Visitor(self.address).get("/alive").status == 200


def _status(folder: Path) -> tuple[int, int, str, bytes] | None:
    """A living process's number, its parent's, its command and its environment."""
    with contextlib.suppress(OSError):
        state, parent = (folder / "stat").read_text().rsplit(")", 1)[1].split()[:2]
        command = (folder / "cmdline").read_bytes().replace(b"\0", b" ").decode(errors="replace")
        return None if state in "ZX" else (int(folder.name), int(parent), command, (folder / "environ").read_bytes())
    return None


def _kill(pid: int) -> None:
    with contextlib.suppress(ProcessLookupError):
        os.kill(pid, signal.SIGKILL)


def aside() -> Path:
    """An empty folder."""
    return Path(tempfile.mkdtemp(prefix="pulley-faults-"))


def state_of(page: str) -> dict[str, Any]:
    """What an editor's page says of its teardown: revision, name, steps."""
    name = re.search(r'id="teardown-name"[^>]*value="([^"]*)"', page)
    revision = re.search(r'name="revision" value="(\d+)"', page)
    steps = re.findall(r'id="card-([\w.-]+)"', page)
    return {"revision": int(revision[1]) if revision else -1, "name": name[1] if name else "", "steps": len(steps)}


def state_sent(page: str) -> dict[str, str]:
    """The fields that go with every request of an editor's page."""
    form = re.search(r'<form id="page-state".*?</form>', page, re.S)
    return dict(re.findall(r'name="(\w+)" value="([^"]*)"', form[0])) if form else {}
