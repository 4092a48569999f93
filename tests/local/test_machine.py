"""The launcher's own MariaDB and its child processes."""

import os
import signal
import socket
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from unittest import TestCase, mock

import MySQLdb

from pulley.local import mariadb, processes
from pulley.local.__main__ import check_room, database, start_web, web_socket
from tests.scenes import ROOT


def connect(server: mariadb.Server, password: str) -> None:
    """Open a connection to a server and close it."""
    MySQLdb.connect(host="127.0.0.1", port=server.port, user="pulley", password=password).close()


class DatabaseTests(TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.enterContext(mock.patch.dict(os.environ))

    def test_it_answers_its_password_only_keeps_its_data_and_is_nobody_elses(self):
        self.assertIsNone(mariadb.running(self.folder))
        with database(self.folder) as server:
            connect(server, server.password)
            for wrong in ("", "guess"):
                with self.assertRaises(MySQLdb.OperationalError):
                    connect(server, wrong)
            self.assertEqual(mariadb.running(self.folder).port, server.port)
            self.assertEqual(os.environ["PULLEY_DB_PORT"], str(server.port))
            with self.assertRaisesRegex(SystemExit, "already runs"), database(self.folder):
                pass
            process, password = server.process, server.password
        self.assertIsNotNone(process.poll())
        self.assertIsNone(mariadb.running(self.folder))
        with database(self.folder) as again:
            self.assertEqual(again.password, password)

    def test_a_password_that_was_cut_off_is_made_anew(self):
        with database(self.folder) as server:
            password = server.password
        for damaged in ("", password[:7]):
            (self.folder / "password").write_text(damaged)
            with database(self.folder) as server:
                self.assertGreater(len(server.password), 30)
                connect(server, server.password)

    def test_a_server_that_cannot_start_says_why(self):
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            with self.assertRaisesRegex(RuntimeError, "did not start"):
                mariadb.start(self.folder, taken.getsockname()[1])


class ProcessTests(TestCase):
    def test_a_taken_port_is_left_alone(self):
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            port = taken.getsockname()[1]
            with mock.patch("pulley.local.__main__.PORT", port), web_socket() as found:
                self.assertNotEqual(found.getsockname()[1], port)
            wanted = mock.patch.dict(os.environ, {"PULLEY_PORT": str(port)})
            with wanted, self.assertRaisesRegex(SystemExit, "Set PULLEY_PORT to another"):
                web_socket()

    def test_children_end_with_their_parent_however_it_ends(self):
        code = (
            "import sys, time\n"
            "from pulley.local import processes\n"
            "child = processes.start([sys.executable, '-c', 'import time; time.sleep(60)'])\n"
            "print(child.pid, flush=True)\n"
            "time.sleep(60)\n"
        )
        parent = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True, cwd=ROOT)
        child = int(parent.stdout.readline())
        parent.send_signal(signal.SIGKILL)
        parent.wait()
        parent.stdout.close()
        until = time.monotonic() + 10
        while Path(f"/proc/{child}").exists() and "Z" not in Path(f"/proc/{child}/stat").read_text().split()[2]:
            self.assertLess(time.monotonic(), until)
            time.sleep(0.05)

    def test_a_child_that_falls_over_is_started_again(self):
        child = processes.Watched("sleeper", lambda: processes.start(["sleep", "60"]))
        self.assertTrue(child.ensure())
        self.assertFalse(child.ensure())
        first = child.process
        first.kill()
        first.wait()
        self.assertTrue(child.ensure())
        self.assertNotEqual(child.process.pid, first.pid)
        processes.stop(child.process)


class RoomTests(TestCase):
    """A disk that is full or may not be written to, said at the start in one line."""

    def test_a_full_disk(self):
        with tempfile.TemporaryDirectory() as folder:
            usage = mock.patch("shutil.disk_usage", return_value=mock.Mock(free=12 * 2**20))
            with usage, self.assertRaisesRegex(SystemExit, "12 MB are free on the disk.*Make room"):
                check_room(Path(folder) / "var")

    def test_a_disk_that_cannot_be_written_to(self):
        for error in (OSError(30, "Read-only file system"), OSError(28, "No space left on device")):
            with (
                tempfile.TemporaryDirectory() as folder,
                mock.patch("pulley.local.__main__.write_whole", side_effect=error),
                self.assertRaisesRegex(SystemExit, f"nothing can be kept in .*{error.strerror}"),
            ):
                check_room(Path(folder))

    def test_numbers_that_are_none(self):
        for wrong in ("abc", "-1", "9" * 9, "²", ""):
            given = mock.patch.dict(os.environ, {"PULLEY_PORT": wrong})
            with given, self.assertRaisesRegex(SystemExit, "whole number"):
                web_socket()

    def test_the_launcher_shows_no_traceback(self):
        with tempfile.NamedTemporaryFile() as file:
            env = {**os.environ, "PULLEY_VAR": f"{file.name}/var"}
            words = [sys.executable, "-m", "pulley.local", "serve"]
            done = subprocess.run(words, capture_output=True, text=True, cwd=ROOT, env=env)
        self.assertIn("nothing can be kept in", done.stderr)
        self.assertNotIn("Traceback", done.stderr)


class SlowTests(TestCase):
    """Connections that send and take next to nothing."""

    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.listening = self.enterContext(web_socket())
        self.address = self.listening.getsockname()
        self.process = self.start()
        self.wait_for_answer()

    def start(self):
        process = start_web(self.listening, self.folder / "web.log")
        self.addCleanup(processes.stop, process)
        return process

    def wait_for_answer(self):
        until = time.monotonic() + 240
        while True:
            try:
                return self.ask()
            except OSError:
                self.assertLess(time.monotonic(), until, (self.folder / "web.log").read_text())
                time.sleep(0.1)

    def ask(self) -> None:
        """Ask the web server whether it is alive, on a connection of its own."""
        with socket.create_connection(self.address, timeout=120) as connection:
            connection.sendall(b"GET /alive HTTP/1.1\r\nHost: 127.0.0.1\r\nConnection: close\r\n\r\n")
            answer = b"".join(iter(lambda: connection.recv(4096), b""))
        self.assertTrue(answer.startswith(b"HTTP/1.1 200"), answer)

    def test_one_process_answers_for_another_that_died(self):
        self.start()
        self.process.kill()
        self.process.wait()
        for _ in range(5):
            self.wait_for_answer()

    def test_two_hundred_slow_connections_hold_nobody_up(self):
        beginnings = (b"", b"G", b"GET / HTTP/1.1\r\nHost: 127", b"POST /bring-in HTTP/1.1\r\nHost: 127.0.0.1\r\n")
        beginnings += (b"POST /bring-in HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 1000000\r\n\r\nabc",)
        slow = [socket.create_connection(self.address) for _ in range(240)]
        try:
            for number, connection in enumerate(slow):
                connection.sendall(beginnings[number % len(beginnings)])
            for _ in range(3):
                self.ask()  # it would wait for them for ever
                for connection in slow[1::5]:
                    connection.sendall(b"E")  # a letter now and then, so that it does not count as idle
        finally:
            for connection in slow:
                connection.close()
