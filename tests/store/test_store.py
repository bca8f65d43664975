import io
import json
import tempfile
import unittest
import zipfile
from pathlib import Path

import numpy as np

from tests.sheets import run, sheet
from ventaris.core.instruments.taps import read_taps
from ventaris.core.sheet import SheetError, write_toml
from ventaris.store import archive, campaigns, deletions, runs
from ventaris.store.database import StoreError, backup, open_database, transaction
from ventaris.store.fields import pack_field, pack_taps, unpack_field, unpack_taps
from ventaris.store.measured import add_measured, measured_of


class WithDatabase(unittest.TestCase):
    def setUp(self):
        self.folder = tempfile.TemporaryDirectory()
        self.addCleanup(self.folder.cleanup)
        self.db = open_database(self.folder.name)
        self.addCleanup(self.db.close)

    def campaign(self, name="drone"):
        campaign_id = campaigns.add_campaign(self.db, name, "why?")
        variant = campaigns.add_variant(self.db, campaign_id, "base", {"kind": "four-digit"})
        point = campaigns.add_point(self.db, campaign_id, "cruise", {"speed": "100 km/h"})
        return campaign_id, variant, point

    def queued(self):
        ids = self.campaign()
        return runs.add_run(self.db, *ids, write_toml(sheet()))


class Campaigns(WithDatabase):
    def test_sections_are_validated_on_the_way_in(self):
        campaign_id, _, point = self.campaign()
        self.assertAlmostEqual(campaigns.point(self.db, point)["air"]["speed"], 100 / 3.6)
        with self.assertRaises(SheetError):
            campaigns.add_variant(self.db, campaign_id, "bad", {"kind": "four-digit", "chord": 0})
        with self.assertRaisesRegex(SheetError, "needs a name"):
            campaigns.add_variant(self.db, campaign_id, "  ", {})
        with self.assertRaisesRegex(SheetError, "at most 80"):
            campaigns.add_campaign(self.db, "x" * 81)

    def test_the_first_variant_is_the_baseline_and_another_can_take_over(self):
        campaign_id, first, _ = self.campaign()
        second = campaigns.add_variant(self.db, campaign_id, "thin", {"edits": {"thickness_scale": 0.8}})
        campaigns.make_baseline(self.db, second)
        self.assertEqual([v["id"] for v in campaigns.variants(self.db, campaign_id)], [second, first])

    def test_two_tabs_cannot_overwrite_each_other(self):
        _, variant, _ = self.campaign()
        stored = campaigns.variant(self.db, variant)
        campaigns.save_shape(self.db, variant, stored["revision"], "base",
                             {**stored["shape"], "thickness": 0.10})
        with self.assertRaisesRegex(campaigns.Conflict, "another window"):
            campaigns.save_shape(self.db, variant, stored["revision"], "base",
                                 {**stored["shape"], "thickness": 0.15})
        self.assertEqual(campaigns.variant(self.db, variant)["shape"]["thickness"], 0.10)

    def test_compose_gives_the_whole_sheet(self):
        campaign_id, variant, point = self.campaign()
        s = campaigns.compose_sheet(campaigns.campaign(self.db, campaign_id),
                                    campaigns.variant(self.db, variant), campaigns.point(self.db, point))
        self.assertAlmostEqual(s.air.speed, 27.7777778)
        self.assertEqual(s.grid.level, "fine")


class Runs(WithDatabase):
    def test_a_run_is_claimed_once_and_in_order(self):
        first, second = self.queued(), self.queued()
        self.assertEqual(runs.claim(self.db, "a")["id"], first)
        self.assertEqual(runs.claim(self.db, "b")["id"], second)
        self.assertIsNone(runs.claim(self.db, "c"))

    def test_requests_follow_the_states(self):
        run_id = self.queued()
        runs.ask(self.db, run_id, "pause")
        self.assertEqual(runs.run(self.db, run_id)["state"], "paused")
        runs.ask(self.db, run_id, "resume")
        runs.claim(self.db, "w")
        self.assertEqual(runs.record(self.db, run_id, "running", [{"step": 1}], {"share": 0.1}), "")
        runs.ask(self.db, run_id, "stop")
        self.assertEqual(runs.record(self.db, run_id, "running", [{"step": 2}], {"share": 0.2}), "stop")
        runs.finish(self.db, run_id, "stopped", {"coefficients": {}})
        with self.assertRaisesRegex(runs.StateError, "stopped cannot pause"):
            runs.ask(self.db, run_id, "pause")

    def test_a_dead_workers_run_goes_back_and_is_given_up_after_three_deaths(self):
        run_id = self.queued()
        for attempt in range(3):
            runs.claim(self.db, "w")
            back = runs.recover(self.db)
            self.assertEqual(back, [run_id] if attempt < 2 else [])
        found = runs.run(self.db, run_id)
        self.assertEqual(found["state"], "failed")
        self.assertIn("died 3 times", found["error"])
        runs.ask(self.db, run_id, "further")
        self.assertEqual(runs.run(self.db, run_id)["state"], "waiting")

    def test_history_is_kept_once_per_step(self):
        run_id = self.queued()
        runs.record(self.db, run_id, "running", [{"step": 1, "a": 1}, {"step": 2, "a": 2}], {})
        runs.record(self.db, run_id, "running", [{"step": 2, "a": 5}], {})
        self.assertEqual(runs.history(self.db, run_id), [{"step": 1, "a": 1}, {"step": 2, "a": 5}])
        runs.forget_history_after(self.db, run_id, 1)
        self.assertEqual(len(runs.history(self.db, run_id)), 1)

    def test_runs_of_deleted_campaigns_are_not_claimed(self):
        campaign_id, variant, point = self.campaign()
        run_id = runs.add_run(self.db, campaign_id, variant, point, write_toml(sheet()))
        deletions.delete(self.db, "campaign", campaign_id, "drone")
        self.assertIsNone(runs.claim(self.db, "w"))
        self.assertIsNone(runs.run(self.db, run_id))


class Deleting(WithDatabase):
    def test_undo_brings_back_the_last_deletion_only(self):
        one, other = self.campaign("one")[0], self.campaign("other")[0]
        deletions.delete(self.db, "campaign", one, "one")
        deletions.delete(self.db, "campaign", other, "other")
        self.assertEqual(deletions.undo(self.db)["name"], "other")
        self.assertEqual([c["name"] for c in campaigns.all_campaigns(self.db)], ["other"])
        self.assertIsNone(deletions.undo(self.db))
        self.assertEqual(self.db.execute("SELECT count(*) FROM campaign").fetchone()[0], 1)

    def test_what_hangs_on_a_campaign_goes_with_it(self):
        campaign_id, variant, point = self.campaign()
        runs.add_run(self.db, campaign_id, variant, point, "x")
        deletions.delete(self.db, "campaign", campaign_id, "drone")
        spare = self.campaign("spare")[0]
        deletions.delete(self.db, "campaign", spare, "spare")
        for table in ("variant", "run", "log_line", "operating_point"):
            left = self.db.execute(f"SELECT count(*) FROM {table}").fetchone()[0]
            self.assertEqual(left, 1 if table in ("variant", "operating_point") else 0, table)

    def test_deleting_the_baseline_makes_the_next_one_it(self):
        campaign_id, first, _ = self.campaign()
        second = campaigns.add_variant(self.db, campaign_id, "thin", {})
        deletions.delete(self.db, "variant", first, "base")
        self.assertEqual(campaigns.variants(self.db, campaign_id)[0]["baseline"], 1)
        self.assertEqual(campaigns.variants(self.db, campaign_id)[0]["id"], second)


class Numbers(WithDatabase):
    def test_a_runs_number_is_never_used_again(self):
        first = self.queued()
        for name in ("drone", "spare"):
            for found in campaigns.all_campaigns(self.db):
                deletions.delete(self.db, "campaign", found["id"], name)
            self.campaign(name)
        self.assertEqual(self.db.execute("SELECT count(*) FROM run").fetchone()[0], 0)
        self.assertGreater(self.queued(), first)

    def test_running_further_forgets_the_old_small_picture(self):
        run_id = self.queued()
        for kind in ("picture", "checkpoint"):
            runs.keep_array(self.db, run_id, kind, b"x")
        runs.finish(self.db, run_id, "stopped", {})
        runs.ask(self.db, run_id, "further")
        self.assertIsNone(runs.kept_array(self.db, run_id, "picture"))
        self.assertIsNotNone(runs.kept_array(self.db, run_id, "checkpoint"))


class Arrays(unittest.TestCase):
    def test_fields_and_taps_survive_packing(self):
        level, flow, state = run().field()
        again_level, mesh, again = unpack_field(pack_field(level, flow.mesh, state))
        self.assertEqual(again_level, level)
        self.assertEqual(set(mesh.boundaries), set(flow.mesh.boundaries))
        np.testing.assert_allclose(again, state, rtol=1e-6, atol=1e-7)
        taps = read_taps(flow, state)
        np.testing.assert_array_equal(unpack_taps(pack_taps(taps)).cp, taps.cp)


class Archive(WithDatabase):
    def filled(self):
        campaign_id, variant, point = self.campaign()
        run_id = runs.add_run(self.db, campaign_id, variant, point, write_toml(sheet()))
        execution = run()
        level, flow, state = execution.field()
        runs.record(self.db, run_id, "running", execution.history, {})
        runs.keep_array(self.db, run_id, "field", pack_field(level, flow.mesh, state))
        runs.finish(self.db, run_id, "settled", execution.result)
        add_measured(self.db, campaign_id, "tunnel", {"x": [0, 1], "cp": [1, 0]})
        return campaign_id, execution

    def test_a_campaign_travels_to_another_laboratory(self):
        campaign_id, execution = self.filled()
        data = archive.export_campaign(self.db, campaign_id)
        with tempfile.TemporaryDirectory() as other:
            there = open_database(other)
            new = archive.import_campaign(there, data)
            self.assertEqual(campaigns.campaign(there, new)["name"], "drone")
            self.assertEqual(measured_of(there, new)[0]["columns"], {"x": [0, 1], "cp": [1, 0]})
            moved = next(iter(runs.latest_runs(there, new).values()))
            self.assertEqual(moved["result"]["coefficients"], execution.result["coefficients"])
            self.assertEqual(len(runs.history(there, moved["id"])), len(execution.history))
            self.assertIsNotNone(runs.kept_array(there, moved["id"], "field"))
            there.close()

    def test_damaged_and_foreign_archives_store_nothing(self):
        campaign_id, _ = self.filled()
        good = archive.export_campaign(self.db, campaign_id)

        def changed(**head):
            out = io.BytesIO()
            with zipfile.ZipFile(io.BytesIO(good)) as source, zipfile.ZipFile(out, "w") as target:
                for name in source.namelist():
                    content = source.read(name)
                    if name == "campaign.json":
                        content = json.dumps({**json.loads(content), **head}).encode()
                    target.writestr(name, content)
            return out.getvalue()

        before = len(campaigns.all_campaigns(self.db))
        for data in (b"rubbish", good[:1000], changed(format=9),
                     changed(variants=[{"name": "x", "shape": {"chord": -1}}]), changed(variants=3),
                     changed(name="")):
            with self.assertRaises(archive.ArchiveError):
                archive.import_campaign(self.db, data)
        self.assertEqual(len(campaigns.all_campaigns(self.db)), before)


class Safety(WithDatabase):
    def test_a_full_disk_is_explained_and_loses_nothing(self):
        campaign_id, variant, point = self.campaign()
        run_id = runs.add_run(self.db, campaign_id, variant, point, "x")
        pages = self.db.execute("PRAGMA page_count").fetchone()[0]
        self.db.execute(f"PRAGMA max_page_count = {pages + 2}")
        with self.assertRaisesRegex(StoreError, "disk is full.*nothing stored before is lost"):
            runs.keep_array(self.db, run_id, "field", b"x" * 2_000_000)
        self.db.execute("PRAGMA max_page_count = 1000000000")
        self.assertEqual(campaigns.campaign(self.db, campaign_id)["name"], "drone")
        runs.keep_array(self.db, run_id, "field", b"y")
        self.assertEqual(runs.kept_array(self.db, run_id, "field"), b"y")

    def test_an_interrupted_transaction_leaves_nothing(self):
        with self.assertRaises(ZeroDivisionError), transaction(self.db):
            self.db.execute("INSERT INTO campaign (name, setup) VALUES ('half', '{}')")
            raise ZeroDivisionError
        self.assertEqual(campaigns.all_campaigns(self.db), [])

    def test_backup_can_be_opened(self):
        self.campaign()
        with tempfile.TemporaryDirectory() as other:
            backup(self.db, Path(other) / "laboratory.sqlite")
            copy = open_database(other)
            self.assertEqual(len(campaigns.all_campaigns(copy)), 1)
            copy.close()
