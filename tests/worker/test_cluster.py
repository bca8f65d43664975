"""Runs over a real Dask scheduler and three real worker processes, one of which is killed."""
import json
import os
import signal
import subprocess
import sys
import threading
import time
import unittest
from pathlib import Path

from distributed import Client

from tests.marks import slow
from tests.worker.test_worker import COARSE, LARGE, WithQueue
from ventaris.store import campaigns, place, runs
from ventaris.worker.cluster.crew import CrewError, DaskCrew
from ventaris.worker.loop import work

JOIN = [sys.executable, "-m", "ventaris.cli", "cluster", "--join"]


class WithScheduler(WithQueue):
    def start_scheduler(self):
        file = Path(self.folder.name) / "scheduler.json"
        self.launch([sys.executable, "-m", "dask", "scheduler", "--port", "0", "--no-dashboard",
                     "--scheduler-file", str(file)])
        self.wait_for(lambda: file.exists() and file.stat().st_size, 60)
        return json.loads(file.read_text())["address"]

    def launch(self, command):
        process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
                                   cwd=self.folder.name, start_new_session=True,
                                   env={**os.environ, "PYTHONPATH": str(Path(__file__).parents[2])})
        self.addCleanup(self.end, process)
        return process

    @staticmethod
    def end(process):
        """The whole session that a process began: a worker and whoever keeps it."""
        try:
            os.killpg(process.pid, signal.SIGKILL)
        except ProcessLookupError:
            pass
        process.wait()


@slow
class ThreeWorkers(WithScheduler):
    def test_a_killed_workers_run_goes_on_elsewhere_and_none_is_lost(self):
        address = self.start_scheduler()
        for _ in range(3):
            self.launch([*JOIN, address, "--processes", "1"])
        long = self.queue(LARGE)
        short = []
        for k in range(6):
            self.point = campaigns.add_point(self.db, self.campaign, f"p{k}", {})
            short.append(self.queue(COARSE))
        ended = []
        thread = threading.Thread(target=lambda: ended.append(
            work(self.folder.name, until_idle=True, where=place.Place("scheduler", scheduler=address))))
        thread.start()
        self.wait_for(lambda: runs.array_version(self.db, long, "checkpoint") > 1)
        at = runs.run(self.db, long)["worker"]
        with Client(address, set_as_default=False) as client:
            pid = client.run(os.getpid, workers=[at])[at]
            self.assertEqual(len(client.scheduler_info(n_workers=-1)["workers"]), 3)
        os.kill(pid, signal.SIGKILL)
        self.wait_for(lambda: ended)
        thread.join()
        self.assertEqual(ended, [0])
        for run_id in (long, *short):
            self.assertEqual(self.state(run_id), "settled", runs.run(self.db, run_id)["error"])
        lines = " ".join(line for _, line in runs.log(self.db, long))
        self.assertIn(f"The worker {at} is lost", lines)
        self.assertIn("Going on from the checkpoint at step", lines)
        steps = [h["step"] for h in runs.history(self.db, long)]
        self.assertEqual(steps, list(range(1, len(steps) + 1)))
        self.assertTrue(runs.kept_array(self.db, long, "field"))
        # Three workers had a part in it.
        at = {line.split()[4] for run_id in (long, *short) for _, line in runs.log(self.db, run_id)
              if line.startswith("Given to the worker")}
        self.assertGreaterEqual(len(at), 3)

    def test_a_worker_with_other_sources_is_left_out(self):
        address = self.start_scheduler()
        self.launch([*JOIN, address, "--processes", "1"])
        crew = DaskCrew(address)
        self.addCleanup(crew.close)
        self.wait_for(lambda: [m.problem for m in crew.members().values()] == [""], 120)
        crew._own = {**crew._own, "sources": "another"}
        crew._members = {}
        self.wait_for(lambda: ["another version of Ventaris" in m.problem
                               for m in crew.members().values()] == [True], 120)


@slow
class NoScheduler(WithQueue):
    def test_an_address_where_nobody_answers_is_said(self):
        self.queue()
        began = time.monotonic()
        with self.assertRaisesRegex(CrewError, "No Dask scheduler answers at tcp://127.0.0.1:9"):
            work(self.folder.name, until_idle=True,
                 where=place.Place("scheduler", scheduler="tcp://127.0.0.1:9"))
        self.assertLess(time.monotonic() - began, 60)


if __name__ == "__main__":
    unittest.main()
