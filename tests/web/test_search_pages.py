"""The search through its pages, the store and the worker."""
import json
import unittest

from tests.marks import slow
from tests.nozzles import SMALL, nozzle_sheet, run_nozzle
from tests.web.client import WithClient
from ventaris.core.sheet import write_toml
from ventaris.store import archive, campaigns, runs, searches
from ventaris.worker.loop import work

FORM = {
    "use.throat_radius": "on", "low.throat_radius": "26 mm", "high.throat_radius": "32 mm",
    "objective": "thrust / mass_flow", "sense": "largest", "first": "3", "most": "5", "level": "coarse",
    "constraint.0.expression": "mass_flow", "constraint.0.kind": "at least", "constraint.0.bound": "2.0"
}


class Searches(WithClient):
    def setUp(self):
        super().setUp()
        sheet = nozzle_sheet(air={"total_pressure": 4e5})
        self.nozzles = campaigns.add_campaign(self.db, "Blaster", "", {"grid": SMALL}, "nozzle")
        self.variant = campaigns.add_variant(self.db, self.nozzles, "cone", sheet.shape.model_dump())
        self.point = campaigns.add_point(self.db, self.nozzles, "4 bar", sheet.air.model_dump())
        self.form_url = f"/campaigns/{self.nozzles}/searches/new"

    def begin(self, **change):
        return self.client.post(self.form_url, data={**FORM, **change})

    def test_the_form_lists_what_can_vary(self):
        page = self.text(self.form_url)
        for words in ("Throat radius", "mass_flow_out", "thrust", "Begin the search"):
            self.assertIn(words, page)

    def test_mistakes_keep_what_was_typed(self):
        for change, words in (({"high.throat_radius": "26 mm"}, "leave nothing to vary"),
                              ({"objective": "thrist"}, "not a channel"), ({"first": "x"}, "whole numbers"),
                              ({"high.throat_radius": "3 kg",
                                "low.throat_radius": "26 mm"}, "not a unit of length")):
            with self.subTest(words):
                answer = self.begin(**change)
                self.assertEqual(answer.status_code, 400)
                page = answer.get_data(as_text=True)
                self.assertIn(words, page)
                self.assertIn("26 mm", page)

    @slow
    def test_a_search_runs_to_its_end_and_becomes_a_variant(self):
        address = self.begin().location
        number = int(address.rsplit("/", 1)[-1])
        work(self.folder, until_idle=True)
        found = searches.search(self.db, number)
        self.assertEqual(found["state"], "done")
        points = searches.points_of(self.db, number)
        self.assertEqual(len([p for p in points if p["run"]]), len(points))
        self.assertTrue(any(p["proposed"] for p in points))
        # They are no answers of the cell.
        self.assertEqual(runs.latest_runs(self.db, self.nozzles), {})
        self.assertEqual(runs.study_runs(self.db, self.variant, self.point), [])
        page = self.text(address)
        self.assertIn("Best so far", page)
        self.assertIn("holds", page)
        data = self.client.get(f"{address}.json").get_json()
        self.assertEqual(len(data["points"]), len(points))
        self.assertEqual(sum(p["best"] for p in data["points"]), 1)
        self.assertIn("5", self.text(f"/campaigns/{self.nozzles}/searches"))
        again = archive.import_campaign(self.db, archive.export_campaign(self.db, self.nozzles))
        carried = searches.searches_of(self.db, again)[0]
        self.assertEqual([p["values"] for p in searches.points_of(self.db, carried["id"])],
                         [p["values"] for p in points])
        self.assertIn("Best so far", self.text(f"/searches/{carried['id']}"))
        made = self.client.post(f"{address}/ask", data={"what": "variant"})
        self.assertEqual(made.status_code, 302)
        shape = campaigns.variants(self.db, self.nozzles)[-1]["shape"]
        best = next(p for p in data["points"] if p["best"])
        self.assertAlmostEqual(shape["throat_radius"], best["values"][0])

    @slow
    def test_shapes_that_cannot_be_made_are_noted_and_passed_over(self):
        address = self.begin(
            **{
                "use.converge_length": "on", "low.converge_length": "0.001", "high.converge_length": "0.004",
                "first": "2", "most": "2"
            }).location
        work(self.folder, until_idle=True)
        page = self.text(address)
        self.assertIn("cannot be made", page)
        self.assertIn("widen the bounds", page)

    def test_pause_resume_and_delete(self):
        address = self.begin().location
        number = int(address.rsplit("/", 1)[-1])
        self.client.post(f"{address}/ask", data={"what": "pause"})
        self.assertFalse(searches.advance(self.db))
        self.client.post(f"{address}/ask", data={"what": "resume"})
        self.assertTrue(searches.advance(self.db))
        # While its run waits there is nothing further to queue: an interrupted search goes on from here.
        self.assertFalse(searches.advance(self.db))
        self.assertEqual(self.client.post(f"{address}/ask", data={"what": "dance"}).status_code, 400)
        self.assertEqual(self.client.post(f"{address}/ask", data={"what": "variant"}).status_code, 400)
        self.client.post(f"{address}/ask", data={"what": "delete"})
        self.assertIsNone(searches.search(self.db, number))
        self.assertEqual(self.client.get(address).status_code, 404)

    def test_series_of_nozzle_points(self):
        self.client.post(
            f"/campaigns/{self.nozzles}/points/sweep", data={
                "across": "back_pressure", "from": "2 bar", "to": "3 bar", "step": "0.5 bar",
                "copy": str(self.point)
            })
        points = campaigns.points(self.db, self.nozzles)
        self.assertEqual([p["air"]["back_pressure"] for p in points[1:]], [2e5, 2.5e5, 3e5])

    def test_a_nozzles_map_holds_theory_beside_its_points(self):
        self.assertIn("No run has a result", self.text(f"/campaigns/{self.nozzles}/map"))
        variant = campaigns.variants(self.db, self.nozzles)[0]["id"]
        sheet = write_toml(
            campaigns.compose_sheet(campaigns.campaign(self.db, self.nozzles),
                                    campaigns.variant(self.db, variant), campaigns.point(self.db,
                                                                                         self.point)))
        run_id = runs.add_run(self.db, self.nozzles, variant, self.point, sheet)
        run = run_nozzle()
        runs.finish(self.db, run_id, "settled", run.result)
        page = self.text(f"/campaigns/{self.nozzles}/map")
        self.assertIn("Operating map", page)
        self.assertIn('id="chart-mass_flow"', page)
        found = json.loads(self.text(f"/campaigns/{self.nozzles}/map.json?across=back_pressure"))
        row = found["lines"][0]["rows"][0]
        self.assertAlmostEqual(row["x"], run.result["air"]["back_pressure"] / 1e5)
        self.assertAlmostEqual(row["mass_flow"], run.result["coefficients"]["mass_flow"])
        self.assertAlmostEqual(row["mass_flow_theory"], run.result["theory"]["mass_flow"])
        self.assertEqual(
            found["charts"][0], {
                "key": "mass_flow", "x": "x", "y": "mass_flow", "x_title": "Pressure behind the exit, bar",
                "y_title": "Mass flow in kg/s"
            })
        self.text(f"/campaigns/{self.nozzles}/map?across=nonsense")


if __name__ == "__main__":
    unittest.main()
