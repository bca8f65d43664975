"""Deletions, stops, queues and locks: nothing is stuck, lost or filled without end."""
import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from tests.sheets import sheet
from tests.store.test_store import WithDatabase
from ventaris.core.sheet import write_toml
from ventaris.core.study.search import Parameter, Plan
from ventaris.store import campaigns, deletions, runs, searches
from ventaris.store.database import DiskFull, StoreError, Unreachable, open_database
from ventaris.worker.job import Job, of_store


class Queue(WithDatabase):
    def add(self, cell, title, estimate=None):
        return runs.add_run(self.db, *cell,
                            write_toml(sheet()).replace('title = ""', f'title = "{title}"'),
                            estimate=estimate)

    def test_pressed_twice_is_asked_once(self):
        cell = self.campaign()
        first = self.add(cell, "a")
        self.assertEqual(self.add(cell, "a"), first)
        self.assertNotEqual(self.add(cell, "b"), first)
        runs.finish(self.db, first, "settled", {"x": 1})
        self.assertNotEqual(self.add(cell, "a"), first)

    def test_short_runs_go_first_and_a_series_keeps_its_order(self):
        cell = self.campaign()
        body, one, two, three = (self.add(cell, f"r{k}", estimate)
                                 for k, estimate in enumerate((1800.0, 20.0, 24.0, 18.0)))
        self.assertEqual([runs.queue_position(self.db, r) for r in (body, one, two, three)], [3, 0, 1, 2])
        self.assertEqual([runs.claim(self.db, "w")["id"] for _ in range(4)], [one, two, three, body])

    def test_a_long_run_makes_way_but_waits_not_for_ever(self):
        cell = self.campaign()
        body = self.add(cell, "body", 1800.0)
        runs.claim(self.db, "w")
        self.assertFalse(runs.shorter_waiting(self.db, body, 1500.0))
        short = self.add(cell, "section", 20.0)
        self.assertTrue(runs.shorter_waiting(self.db, body, 1500.0))
        self.assertFalse(runs.shorter_waiting(self.db, body, 60.0))
        # Asked for long after the body, the section's turn comes after it.
        self.db.execute("UPDATE run SET turn = 0 WHERE id = ?", (body, ))
        self.assertFalse(runs.shorter_waiting(self.db, body, 1500.0))
        runs.put_back(self.db, body, "makes way")
        found = runs.run(self.db, body)
        self.assertEqual((found["state"], found["attempts"]), ("waiting", 0))
        self.assertEqual(runs.run(self.db, short)["state"], "waiting")

    def test_stops_with_progress_are_not_counted_as_crashes(self):
        run_id = self.queued()
        for _ in range(5):
            runs.claim(self.db, "w")
            runs.note_progress(self.db, run_id)
            runs.recover(self.db)
        self.assertEqual(runs.run(self.db, run_id)["state"], "waiting")
        for _ in range(runs.MOST_ATTEMPTS):
            runs.claim(self.db, "w")
            runs.recover(self.db)
        found = runs.run(self.db, run_id)
        self.assertEqual(found["state"], "failed")
        self.assertIn("at the same place", found["error"])

    def test_an_orderly_end_puts_the_run_back(self):
        self.queued()
        job = of_store(self.db, runs.claim(self.db, "w"))
        with mock.patch.object(Job, "_work", side_effect=SystemExit(0)), self.assertRaises(SystemExit):
            job.work()
        found = runs.run(self.db, job.id)
        self.assertEqual((found["state"], found["attempts"]), ("waiting", 0))

    def test_a_full_disk_is_waited_for_however_long_it_lasts(self):
        self.queued()
        job = of_store(self.db, runs.claim(self.db, "w"))
        tries = [DiskFull("full")] * 200 + [None]
        finish = runs.finish

        def full(*args, **more):
            error = tries.pop(0)
            if error:
                raise error
            finish(*args, **more)

        with mock.patch.object(Job, "_work", side_effect=DiskFull("full")), mock.patch(
                "ventaris.worker.job.DISK_WAIT", 0), mock.patch.object(runs, "finish", full):
            job.work()
        self.assertEqual(runs.run(self.db, job.id)["state"], "paused")


class Deletions(WithDatabase):
    def test_a_run_deleted_while_it_runs_ends_quietly(self):
        campaign_id, variant, point = self.campaign()
        other = campaigns.add_variant(self.db, campaign_id, "other", {})
        run_id = runs.add_run(self.db, campaign_id, variant, point, write_toml(sheet()))
        runs.claim(self.db, "w")
        deletions.delete(self.db, "variant", variant, "base")
        deletions.delete(self.db, "variant", other, "other")
        self.assertIsNone(self.db.execute("SELECT 1 FROM run WHERE id = ?", (run_id, )).fetchone())
        self.assertEqual(runs.record(self.db, run_id, "running", [{"step": 1}], {}), "gone")
        runs.say(self.db, run_id, "still here?")
        runs.finish(self.db, run_id, "stopped", {"x": 1}, line="done")

    def test_undo_makes_a_deleted_baseline_the_baseline_again(self):
        campaign_id, first, _ = self.campaign()
        second = campaigns.add_variant(self.db, campaign_id, "second", {})
        deletions.delete(self.db, "variant", first, "base")
        self.assertEqual(campaigns.variants(self.db, campaign_id)[0]["id"], second)
        deletions.undo(self.db)
        self.assertEqual([(v["id"], bool(v["baseline"])) for v in campaigns.variants(self.db, campaign_id)],
                         [(first, True), (second, False)])

    def searching(self):
        campaign_id, variant, point = self.campaign()
        campaign, v, p = campaigns.campaign(self.db, campaign_id), campaigns.variant(
            self.db, variant), campaigns.point(self.db, point)
        plan = Plan([Parameter("thickness", "Thickness", "", 0.1, 0.14)], "lift", "largest", [], 2, 3)
        return searches.add_search(self.db, campaign, v, p, plan, campaigns.compose_sheet(campaign, v,
                                                                                          p)), variant, point

    def test_a_search_whose_cell_is_deleted_asks_for_nothing_more(self):
        for kind in ("variant", "operating point"):
            with self.subTest(kind):
                search_id, variant, point = self.searching()
                self.assertTrue(searches.advance(self.db))
                before = self.db.execute("SELECT count(*) FROM run").fetchone()[0]
                deletions.delete(self.db, kind, variant if kind == "variant" else point, "x")
                for _ in range(20):
                    self.assertFalse(searches.advance(self.db))
                self.assertEqual(self.db.execute("SELECT count(*) FROM run").fetchone()[0], before)
                deletions.undo(self.db)
                self.assertIsNotNone(searches.search(self.db, search_id))
                searches.delete_search(self.db, search_id)

    def test_a_damaged_plan_pauses_its_search_and_not_the_worker(self):
        search_id, _, _ = self.searching()
        with mock.patch("ventaris.store.searches._next", side_effect=ValueError("no such number")):
            self.assertTrue(searches.advance(self.db))
        self.assertEqual(
            self.db.execute("SELECT state FROM search WHERE id = ?", (search_id, )).fetchone()["state"],
            "paused")
        self.assertFalse(searches.advance(self.db))


class Locks(WithDatabase):
    def test_opening_again_keeps_the_locks_of_the_first_connection(self):
        # A file descriptor that is closed takes all locks of its process with it: another process then
        # truncates the log under a connection in use.
        look = (
            "import sys; from ventaris.store.database import open_database; d = open_database(sys.argv[1]); "
            "print(d.execute('SELECT count(*) FROM campaign').fetchone()[0]); d.close()")
        for number in range(1, 4):
            open_database(self.folder.name, migrate=False).close()
            done = subprocess.run([sys.executable, "-c", look, self.folder.name], capture_output=True,
                                  text=True, timeout=60)
            self.assertEqual(done.stdout.strip(), str(number - 1), done.stderr)
            self.campaign(f"number {number}")
        fresh = open_database(self.folder.name)
        self.assertEqual(len(campaigns.all_campaigns(fresh)), 3)
        fresh.close()

    def test_folders_that_cannot_be_opened_are_explained(self):
        with tempfile.TemporaryDirectory() as folder:
            with self.assertRaisesRegex(Unreachable, "no laboratory in"):
                open_database(Path(folder) / "moved", create=False)
            self.assertFalse((Path(folder) / "moved").exists())
            (Path(folder) / "laboratory.sqlite").write_bytes(b"no database" * 500)
            with self.assertRaisesRegex(Unreachable, "damaged"):
                open_database(folder)
        self.assertTrue(issubclass(Unreachable, StoreError))

    def test_stamps_change_with_anything_of_a_campaign(self):
        campaign_id, variant, point = self.campaign()
        seen = {json.dumps(runs.stamps(self.db)[campaign_id])}

        def changed():
            stamp = json.dumps(runs.stamps(self.db)[campaign_id])
            self.assertNotIn(stamp, seen)
            seen.add(stamp)

        run_id = runs.add_run(self.db, campaign_id, variant, point, "x")
        changed()
        runs.claim(self.db, "w")
        changed()
        runs.finish(self.db, run_id, "settled", {"x": 1})
        changed()
        stored = campaigns.variant(self.db, variant)
        campaigns.save_shape(self.db, variant, stored["revision"], "base",
                             {**stored["shape"], "thickness": 0.1})
        changed()


if __name__ == "__main__":
    unittest.main()
