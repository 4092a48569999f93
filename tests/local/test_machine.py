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
from pulley.local.__main__ import database, web_port
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
            with mock.patch("pulley.local.__main__.PORT", port):
                self.assertNotEqual(web_port(), port)

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
