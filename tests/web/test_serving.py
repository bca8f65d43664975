"""The server as a process: it keeps a worker, outlives accidents, and leaves nothing running."""
import os
import signal
import subprocess
import sys
import time
import unittest
import urllib.request
from pathlib import Path

from tests.marks import slow
from tests.sheets import sheet
from tests.web.browsing import Server
from ventaris.core.sheet import write_toml
from ventaris.store import campaigns, runs
from ventaris.store.database import open_database
from ventaris.worker.loop import is_worker_running

LARGE = {"level": "fine", "around": 288, "layers": 88, "wake": 64}


def wait_for(condition, seconds=300):
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        value = condition()
        if value:
            return value
        time.sleep(0.1)
    raise AssertionError("waited too long")


def children_of(pid):
    """Child processes, whichever thread started them."""
    return [
        int(n) for listed in Path(f"/proc/{pid}/task").glob("*/children") for n in listed.read_text().split()
    ]


def alive(pid):
    try:
        with open(f"/proc/{pid}/stat") as stat:
            return stat.read().rsplit(")", 1)[1].split()[0] != "Z"
    except OSError:
        return False


@slow
class Serving(unittest.TestCase):
    def start(self):
        server = Server("--no-demo")
        self.addCleanup(self.end, server)
        return server

    def end(self, server):
        if server.process.poll() is None:
            server.end()
        else:
            server.process.stdout.close()
            server.folder.cleanup()

    def queue(self, folder, grid):
        database = open_database(folder)
        self.addCleanup(database.close)
        campaign = campaigns.add_campaign(database, "c")
        variant = campaigns.add_variant(database, campaign, "v", {})
        point = campaigns.add_point(database, campaign, "p", {})
        return database, runs.add_run(database, campaign, variant, point, write_toml(sheet(grid)))

    def test_a_killed_worker_is_started_again_and_its_run_goes_on(self):
        server = self.start()
        database, run_id = self.queue(server.folder.name, LARGE)
        wait_for(lambda: runs.kept_array(database, run_id, "checkpoint"))
        worker = children_of(server.process.pid)[0]
        os.kill(worker, signal.SIGKILL)
        wait_for(lambda: any(pid != worker for pid in children_of(server.process.pid)))
        wait_for(lambda: runs.run(database, run_id)["state"] == "settled")
        self.assertTrue(any("The worker died" in line for _, line in runs.log(database, run_id)))
        self.assertIn(b"c", urllib.request.urlopen(server.address + "/").read())

    def test_a_killed_server_leaves_the_run_to_its_worker(self):
        server = self.start()
        database, run_id = self.queue(server.folder.name, LARGE)
        wait_for(lambda: len(runs.history(database, run_id)) > 3)
        worker = children_of(server.process.pid)[0]
        server.process.send_signal(signal.SIGKILL)
        server.process.wait()
        wait_for(lambda: runs.run(database, run_id)["state"] == "settled")
        # With nothing left to do and no server, the worker ends by itself.
        wait_for(lambda: not alive(worker))
        self.assertFalse(is_worker_running(server.folder.name))

    def test_an_orderly_end_takes_the_worker_along(self):
        server = self.start()
        worker = wait_for(lambda: children_of(server.process.pid))[0]
        server.process.send_signal(signal.SIGTERM)
        self.assertEqual(server.process.wait(20), 0)
        wait_for(lambda: not alive(worker))

    def test_a_port_in_use_is_explained(self):
        server = self.start()
        port = server.address.rsplit(":", 1)[1]
        done = subprocess.run([
            sys.executable, "-m", "ventaris.cli", "serve", "--port", port, "--data",
            server.folder.name + "/other", "--no-demo"
        ], capture_output=True, text=True, timeout=300, check=False)
        self.assertEqual(done.returncode, 2)
        self.assertIn("--port", done.stderr)
