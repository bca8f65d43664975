"""Pages of sections that move: the sheet's rows, cycles, loops, films, an archive's round trip."""
import io
import json
import unittest

from tests.core.test_motion import AIR, PITCH, TINY
from tests.sheets import run
from tests.web.client import WithClient, store_run
from ventaris.core.sheet import read_toml
from ventaris.store import archive, campaigns, runs
from ventaris.store.database import open_database
from ventaris.store.fields import pack_frames

GUST = {"does": "edge", "gust": 0.05, "front": -0.2}
SECTIONS = {
    "flow": {"time": "unsteady"}, "grid": {**TINY, "level": "medium"}, "run":
    {"cycle_steps": 16, "cycles": 3, "frames": 4, "duration": 3, "time_step": None}
}
_finished = {}


def finished(name, row):
    if name not in _finished:
        _finished[name] = run(SECTIONS["grid"], air={**AIR, "motions": [row]}, flow=SECTIONS["flow"],
                              run={**SECTIONS["run"], "time_step": None if name == "pitch" else 0.25})
    return _finished[name]


class WithMotion(WithClient):
    def setUp(self):
        super().setUp()
        self.moving = campaigns.add_campaign(self.db, "Pitching", "how far does it swing?", SECTIONS)
        self.variant = campaigns.add_variant(self.db, self.moving, "plain", {})
        self.points = {
            name: campaigns.add_point(self.db, self.moving, name, {**AIR, "motions": [row]})
            for name, row in (("pitch", PITCH), ("gust", GUST))
        }
        self.sheet_url = f"/sheet/{self.variant}/{self.points['pitch']}"

    def with_run(self, name):
        execution = finished(name, PITCH if name == "pitch" else GUST)
        run_id = store_run(self.db, self.moving, self.variant, self.points[name], execution)
        record = execution.recorder
        runs.keep_array(self.db, run_id, "frames", pack_frames(record.times, record.frames, record.mean))
        return run_id

    def curve(self, what, *ids):
        chosen = "&".join(f"run={k}" for k in ids)
        return json.loads(self.text(f"/campaigns/{self.moving}/curves.json?{chosen}&what={what}"))


class Sheets(WithMotion):
    def form(self, **row):
        """A form with one row of what moves."""
        return {"air.motions.count": "1", **{f"air.motions[].{key}": value for key, value in row.items()}}

    def test_what_is_typed_is_kept_in_its_unit(self):
        self.client.post(
            self.sheet_url, data=self.form(does="turn", speed_as="revolutions", revolutions="2 rev/s",
                                           radius="2", pivot_y="2"))
        kept = campaigns.point(self.db, self.points["pitch"])["air"]["motions"][0]
        self.assertEqual((kept["does"], kept["revolutions"]), ("turn", 120.0))

    def test_a_table_is_pasted(self):
        self.client.post(self.sheet_url, data=self.form(does="table", points="chords degrees\n0 0\n2 4\n5 1"))
        kept = campaigns.point(self.db, self.points["pitch"])["air"]["motions"][0]
        self.assertEqual([tuple(pair) for pair in kept["points"]], [(0, 0), (2, 4), (5, 1)])

    def test_bad_input_names_field_and_mend(self):
        for row, words in (({"does": "pitch", "reduced":
                             "0"}, "accepted: 0.001 to 10"), ({"does": "ramp", "begin": "5", "end":
                                                               "2"}, "ends after it begins"),
                           ({"does": "table", "points":
                             "0 0\n3 1\n2 0"}, "back in time"), ({"does": "turn", "tip_speed_ratio":
                                                                  "0"}, "turns nothing")):
            with self.subTest(row=row):
                page = self.client.post(self.sheet_url, data=self.form(**row)).get_data(as_text=True)
                self.assertIn(words, page)
        page = self.client.post(self.sheet_url, data={"domain.kind": "ground"}).get_data(as_text=True)
        self.assertIn("Take the far field all round", page)

    def test_the_drawing_shows_the_ways_end_and_words(self):
        drawing = self.client.post(f"{self.sheet_url}/drawing/air").get_data(as_text=True)
        self.assertIn("Pitching ±2°, k 0.5", drawing)
        self.assertGreaterEqual(drawing.count('class="datum"'), 3)
        self.assertIn("pitching ±2°, k 0.5", self.text(f"/campaigns/{self.moving}"))


class Runs(WithMotion):
    def test_a_cycle_is_told_drawn_and_compared(self):
        run_id = self.with_run("pitch")
        page = self.text(f"/runs/{run_id}")
        self.assertIn("Over a cycle", page)
        self.assertIn("ahead of the angle", page)
        loop = self.curve("loop:lift", run_id)
        steps = finished("pitch", PITCH).result["unsteady"]["cycle"]["steps"]
        self.assertEqual(len(loop["traces"][0]["x"]), steps + 1)
        self.assertAlmostEqual(max(loop["traces"][0]["x"]), 2, delta=1e-6)
        self.assertTrue(loop["traces"][0]["loop"])
        over_time = self.curve("time:lift", run_id)["traces"][0]
        self.assertEqual(len(over_time["x"]) % steps, 0)
        matrix = self.text(f"/campaigns/{self.moving}?show=lift_swing")
        swing = finished("pitch", PITCH).result["unsteady"]["cycle"]["channels"]["lift"]["amplitude"]
        self.assertIn(f"{swing:.4f}", matrix)
        self.assertIn("Swing of the lift",
                      self.text(f"/campaigns/{self.moving}/compare?run={run_id}&run={run_id}"))
        self.assertEqual(self.client.get(f"/runs/{run_id}/thumbnail.png").status_code, 200)

    def test_quantities_of_motion_are_offered_only_where_there_are_any(self):
        self.assertNotIn("Swing of the lift", self.text(f"/campaigns/{self.campaign}"))

    def test_the_film_says_where_the_section_stands(self):
        run_id = self.with_run("pitch")
        heads = []
        for query in ("", "?frame=0&q=vorticity"):
            data = self.client.get(f"/runs/{run_id}/field.bin{query}").get_data()
            heads.append(json.loads(data[4:4 + int.from_bytes(data[:4], "little")]))
        self.assertAlmostEqual(heads[0]["place"]["angle"], 0, delta=1e-9)
        self.assertGreater(abs(heads[1]["place"]["angle"]), 0.01)
        self.assertIn("vorticity", heads[1]["values"])
        self.assertIn("ride along", self.text(f"/runs/{run_id}/flow"))
        for riding in ("0", "1"):
            answer = self.client.get(f"/runs/{run_id}/picture.png?q=vorticity&riding={riding}")
            self.assertEqual(answer.status_code, 200)

    def test_a_gust_has_its_extremes(self):
        run_id = self.with_run("gust")
        page = self.text(f"/runs/{run_id}")
        self.assertIn("Over the record", page)
        most = finished("gust", GUST).result["unsteady"]["extremes"]["lift"]["high"]
        self.assertIn(f"{most:.4f}", self.text(f"/campaigns/{self.moving}?show=lift_most"))

    def test_an_archive_takes_it_along(self):
        run_id = self.with_run("pitch")
        data = archive.export_campaign(self.db, self.moving)
        other = open_database(f"{self.folder}/other")
        self.addCleanup(other.close)
        archive.import_campaign(other, io.BytesIO(data).read())
        there = next(iter(runs.latest_runs(other, 1).values()))
        self.assertEqual(there["result"]["unsteady"]["cycle"],
                         runs.run(self.db, run_id)["result"]["unsteady"]["cycle"])
        self.assertEqual(read_toml(there["sheet"]).air.motions[0].reduced, 0.5)


if __name__ == "__main__":
    unittest.main()
