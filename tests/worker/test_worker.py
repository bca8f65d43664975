import os
import signal
import subprocess
import sys
import tempfile
import time
import unittest

import numba

from tests.marks import slow
from tests.sheets import COARSE, sheet
from ventaris.core.sheet import write_toml
from ventaris.core.study.cores import cores_at_most
from ventaris.store import campaigns, runs
from ventaris.store.database import open_database
from ventaris.worker.loop import Lock, is_worker_running, work

LARGE = {"level": "fine", "around": 288, "layers": 88, "wake": 64}


class WithQueue(unittest.TestCase):
    def setUp(self):
        self.folder = tempfile.TemporaryDirectory()
        self.addCleanup(self.folder.cleanup)
        self.db = open_database(self.folder.name)
        self.addCleanup(self.db.close)
        self.campaign = campaigns.add_campaign(self.db, "c")
        self.variant = campaigns.add_variant(self.db, self.campaign, "v", {})
        self.point = campaigns.add_point(self.db, self.campaign, "p", {})

    def queue(self, grid=COARSE, **sections):
        return runs.add_run(self.db, self.campaign, self.variant, self.point,
                            write_toml(sheet(grid, **sections)))

    def start(self):
        process = subprocess.Popen([sys.executable, "-m", "ventaris.worker.main", self.folder.name])
        self.addCleanup(lambda: (process.poll() is None and process.kill(), process.wait()))
        return process

    def wait_for(self, condition, seconds=300):
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            if condition():
                return
            time.sleep(0.1)
        self.fail("waited too long")

    def state(self, run_id):
        return runs.run(self.db, run_id)["state"]


class Keeping(WithQueue):
    @slow
    def test_what_is_kept_and_the_cores_follow_the_sheet(self):
        ids = {keep: self.queue(run={"keep": keep, "cores": 1}) for keep in ("all", "fields", "numbers")}
        threads = numba.get_num_threads()
        work(self.folder.name, until_idle=True)
        self.assertEqual(numba.get_num_threads(), threads)
        kept = {keep: {kind for kind in ("checkpoint", "field", "taps", "picture")
                       if runs.kept_array(self.db, run_id, kind)} for keep, run_id in ids.items()}
        self.assertEqual(kept, {"all": {"checkpoint", "field", "taps"}, "fields": {"field", "taps"},
                                "numbers": {"taps", "picture"}})
        lifts = {runs.run(self.db, run_id)["result"]["coefficients"]["lift"] for run_id in ids.values()}
        self.assertEqual(len(lifts), 1)
        # What fewer cores took says nothing of this machine.
        self.assertIsNone(runs.measured_cost(self.db))

    def test_fewer_cores_are_lent_and_given_back(self):
        threads = numba.get_num_threads()
        with cores_at_most(1):
            self.assertEqual(numba.get_num_threads(), 1)
        with cores_at_most(0):
            self.assertEqual(numba.get_num_threads(), threads)
        self.assertEqual(numba.get_num_threads(), threads)


class InThisProcess(WithQueue):
    @slow
    def test_waiting_runs_are_executed_one_after_another(self):
        ids = [self.queue(), self.queue(air={"motion": "mach", "mach": 0.5})]
        self.assertEqual(work(self.folder.name, until_idle=True), 0)
        for run_id in ids:
            done = runs.run(self.db, run_id)
            self.assertEqual(done["state"], "settled", done["error"])
            self.assertTrue(runs.history(self.db, run_id))
            self.assertTrue(runs.kept_array(self.db, run_id, "field"))
        self.assertIsNotNone(runs.measured_cost(self.db))

    @slow
    def test_a_sweep_starts_from_its_finished_neighbour(self):
        start = {"run": {"start": "neighbour"}}
        first = self.queue(**start)
        next_one = self.queue(air={"motion": "mach", "mach": 0.3, "incidence": 3}, **start)
        unlike = self.queue({"level": "coarse", "around": 160}, **start)
        work(self.folder.name, until_idle=True)
        lines = {
            run_id: " ".join(line for _, line in runs.log(self.db, run_id))
            for run_id in (first, next_one, unlike)
        }
        self.assertIn("No finished neighbour", lines[first])
        self.assertIn("Starting from p", lines[next_one])
        self.assertIn("No finished neighbour", lines[unlike])
        steps = [runs.run(self.db, run_id)["result"]["steps"] for run_id in (first, next_one)]
        self.assertLess(steps[1], 0.7 * steps[0])
        self.assertAlmostEqual(
            runs.run(self.db, next_one)["result"]["coefficients"]["lift"] /
            runs.run(self.db, first)["result"]["coefficients"]["lift"], 1.5, delta=0.06)

    @slow
    def test_a_sheet_that_cannot_run_fails_with_words_and_the_next_one_runs(self):
        bad = self.queue(shape={
            "kind": "four-digit", "thickness": 0.3, "edits": {"flap_deflection": 40, "flap_blend": 0.01}
        })
        good = self.queue()
        work(self.folder.name, until_idle=True)
        self.assertEqual(self.state(bad), "failed")
        self.assertIn("flap_blend", runs.run(self.db, bad)["error"])
        self.assertEqual(self.state(good), "settled")

    @slow
    def test_an_unsettled_run_can_be_run_further(self):
        run_id = self.queue(run={"steps": 6})
        work(self.folder.name, until_idle=True)
        self.assertEqual(self.state(run_id), "stopped")
        runs.ask(self.db, run_id, "further")
        work(self.folder.name, until_idle=True)
        self.assertEqual(self.state(run_id), "settled")
        steps = [h["step"] for h in runs.history(self.db, run_id)]
        self.assertEqual(steps, list(range(1, len(steps) + 1)))

    @slow
    def test_a_settled_run_can_be_run_further_and_its_answer_stands_until_then(self):
        run_id = self.queue()
        work(self.folder.name, until_idle=True)
        before = runs.run(self.db, run_id)
        runs.ask(self.db, run_id, "further")
        self.assertEqual(runs.run(self.db, run_id)["result"], before["result"])
        work(self.folder.name, until_idle=True)
        after = runs.run(self.db, run_id)
        self.assertEqual(after["state"], "settled")
        self.assertGreater(after["result"]["steps"], before["result"]["steps"] + 40)
        self.assertAlmostEqual(after["result"]["coefficients"]["lift"],
                               before["result"]["coefficients"]["lift"], 5)
        # What goes wrong then takes nothing away.
        runs.ask(self.db, run_id, "further")
        runs.claim(self.db, "w")
        runs.finish(self.db, run_id, "failed", error="It blew up.", line="It blew up.")
        kept = runs.run(self.db, run_id)
        self.assertEqual((kept["state"], kept["result"], kept["error"]), ("settled", after["result"], ""))
        self.assertIn("The earlier answer stands", runs.log(self.db, run_id)[-1][1])

    @slow
    def test_a_damaged_checkpoint_makes_the_run_begin_afresh(self):
        run_id = self.queue()
        runs.keep_array(self.db, run_id, "checkpoint", b"rubbish")
        work(self.folder.name, until_idle=True)
        self.assertEqual(self.state(run_id), "settled")

    def test_one_worker_a_folder(self):
        lock = Lock(self.folder.name)
        self.assertTrue(lock.take())
        self.assertTrue(is_worker_running(self.folder.name))
        self.assertEqual(work(self.folder.name, until_idle=True), 1)
        lock.release()


@slow
class InAProcessOfItsOwn(WithQueue):
    def test_a_killed_worker_loses_only_seconds(self):
        run_id = self.queue(LARGE)
        process = self.start()
        self.wait_for(lambda: runs.kept_array(self.db, run_id, "checkpoint") and len(
            runs.history(self.db, run_id)) > 25)
        process.send_signal(signal.SIGKILL)
        process.wait()
        self.assertEqual(self.state(run_id), "running")
        self.start()
        self.wait_for(lambda: self.state(run_id) == "settled")
        lines = [line for _, line in runs.log(self.db, run_id)]
        self.assertTrue(any("Going on from the checkpoint" in line for line in lines), lines)
        steps = [h["step"] for h in runs.history(self.db, run_id)]
        self.assertEqual(steps, list(range(1, len(steps) + 1)))

    def test_pause_resume_and_stop(self):
        run_id = self.queue(LARGE)
        self.start()
        self.wait_for(lambda: self.state(run_id) == "running" and len(runs.history(self.db, run_id)) > 3)
        runs.ask(self.db, run_id, "pause")
        self.wait_for(lambda: self.state(run_id) == "paused")
        paused_at = len(runs.history(self.db, run_id))
        runs.ask(self.db, run_id, "resume")
        self.wait_for(lambda: len(runs.history(self.db, run_id)) > paused_at)
        runs.ask(self.db, run_id, "stop")
        self.wait_for(lambda: self.state(run_id) == "stopped")
        self.assertIn("Stopped by hand", runs.run(self.db, run_id)["result"]["verdict"]["words"])

    def test_a_worker_without_its_server_ends_when_nothing_waits(self):
        process = subprocess.Popen(
            [sys.executable, "-m", "ventaris.worker.main", self.folder.name,
             str(os.getpid() + 100_000)])
        self.assertEqual(process.wait(60), 0)
