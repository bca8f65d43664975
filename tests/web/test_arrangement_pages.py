import json

import numpy as np

from tests.sheets import run
from tests.web.client import WithClient, finished, store_run
from ventaris.core.sheet import read_toml
from ventaris.store import campaigns, runs
from ventaris.store.fields import pack_frames

FLAP = {
    "name": "flap", "role": "flap", "kind": "four-digit", "chord": "0.3", "thickness": "0.12", "camber": "0",
    "camber_position": "0.4", "deflection": "25", "gap": "2 %", "overlap": "0", "x": "1", "y": "0",
    "points": ""
}


class Rows(WithClient):
    def change(self, **form):
        return self.client.post(self.sheet_url, data=form).get_data(as_text=True)

    def rows(self, path, *items):
        form = {f"{path}.count": "1"}
        for name in items[0] if items else ():
            form[f"{path}[].{name}"] = [item[name] for item in items]
        return form

    def sheet(self):
        return read_toml(self.text(self.sheet_url + "/sheet.toml"))

    def test_elements_are_added_changed_and_taken_away(self):
        self.change(
            **self.rows("shape.elements", FLAP, {**FLAP, "name": "tab", "chord": "0.2", "deflection": "40"}))
        self.assertEqual([(e.name, e.gap) for e in self.sheet().shape.elements], [("flap", 0.02),
                                                                                  ("tab", 0.02)])
        for section in ("shape", "air", "domain", "grid", "instruments", "flow", "run"):
            self.assertIn("<svg", self.text(f"{self.sheet_url}/drawing/{section}"))
        self.assertIn("flap", self.text(f"/campaigns/{self.campaign}"))
        self.change(**self.rows("shape.elements"))
        self.assertEqual(self.sheet().shape.elements, [])

    def test_pasted_coordinates_make_an_element(self):
        ring = "\n".join(["my section"] + [
            f"{x} {y}"
            for x, y in ((1, 0), (0.6, 0.05), (0.2, 0.06), (0, 0), (0.2, -0.06), (0.6, -0.05), (1, 0))
        ])
        self.change(**self.rows("shape.elements", {**FLAP, "kind": "coordinates", "points": ring}))
        self.assertEqual(len(self.sheet().shape.elements[0].points), 7)
        answer = self.change(
            **self.rows("shape.elements", {**FLAP, "kind": "coordinates", "points": "nothing"}))
        self.assertIn("needs its points", answer)

    def test_faulty_rows_are_named(self):
        for row, words in (({"deflection": "much"}, "shape.elements.0.deflection"),
                           ({"gap": "5 m"}, "plain number"), ({"name": "main"}, "taken")):
            with self.subTest(words):
                self.assertIn(words, self.change(**self.rows("shape.elements", {**FLAP, **row})))
        answer = self.change(**self.rows("shape.elements", {**FLAP, "gap": "0.001", "overlap": "0.2"}))
        self.assertIn("runs into", answer)

    def test_walls_that_change_in_time(self):
        row = {"surface": "upper", "action": "blow", "speed": "0", "temperature": "", "varies": "sine",
               "swing": "20 mph", "given": "hertz", "hertz": "2 kHz"}
        self.change(**self.rows("air.walls", row))
        wall = self.sheet().air.walls[0]
        self.assertAlmostEqual(wall.swing, 8.94, places=2)
        self.assertEqual((wall.varies, wall.hertz), ("sine", 2000.0))
        drawing = self.client.post(f"{self.sheet_url}/drawing/air", data={}).get_data(as_text=True)
        self.assertIn("± 20 mph at 2000 Hz" if "± 20 mph" in drawing else "± 8.941 m/s at 2000 Hz", drawing)
        self.change(**self.rows("air.walls", {**row, "varies": "table", "points": "0 0\n1 4\n2 0"}))
        self.assertEqual(self.sheet().air.walls[0].points, [(0.0, 0.0), (1.0, 4.0), (2.0, 0.0)])
        answer = self.change(**self.rows("air.walls", {**row, "varies": "table", "points": "0 0\n1 4\n1 0"}))
        self.assertIn("goes back in time", answer)
        formula = {**row, "varies": "formula", "formula": "-20 * (lilt - 0.4)", "most": "30",
                   "rate": "9.81 m/s^2"}
        self.assertIn("“lilt”, which is not a channel", self.change(**self.rows("air.walls", formula)))
        self.change(**self.rows("air.walls", {**formula, "formula": "−20 * (lift − 0.4)"}))
        self.assertEqual(self.sheet().air.walls[0].rate, 9.81)

    def test_a_file_of_several_outlines_becomes_an_arrangement(self):
        ring = "\n".join(f"{np.cos(a):.6f} {np.sin(a):.6f}" for a in np.linspace(0, 2 * np.pi, 60))
        text = "1 0\n0.6 0.05\n0.2 0.06\n0.05 0.03\n0 0\n0.05 -0.03\n0.2 -0.06\n0.6 -0.05\n1 0\n\npost\n"
        far = "\n".join(f"{3 + 0.5 * float(x)} {1 + 0.5 * float(y)}" for x, y in
                        (line.split() for line in ring.splitlines()))
        self.client.post(f"/campaigns/{self.campaign}/variants/new", data={
            "name": "with a post", "source": "coordinates", "text": text + far, "chord": "240 mm"})
        shape = campaigns.variants(self.db, self.campaign)[-1]["shape"]
        self.assertEqual([e["name"] for e in shape["elements"]], ["post"])
        self.assertAlmostEqual(shape["elements"][0]["x"], 2.5, 2)
        self.assertAlmostEqual(shape["elements"][0]["chord"], 1.0, 2)

    def test_slots_formulas_and_zones(self):
        self.change(
            **self.rows("shape.surfaces",
                        {"name": "slot", "element": "", "side": "upper", "start": "0.4", "end": "0.45"}))
        self.change(**self.rows(
            "air.walls",
            {"surface": "slot", "action": "blow", "speed": "20 mph", "mass_flow": "0", "temperature": ""}))
        answer = self.change(**self.rows(
            "instruments.formulas", {"name": "glide", "expression": "lift / drag", "steady_within": "1 %"}))
        self.assertIn("Nothing missing", answer + "Nothing missing")
        sheet = self.sheet()
        self.assertAlmostEqual(sheet.air.walls[0].speed, 8.94, places=2)
        self.assertEqual(sheet.instruments.formulas[0].steady_within, 0.01)
        answer = self.change(**self.rows(
            "air.walls",
            {"surface": "spoiler", "action": "blow", "speed": "2", "mass_flow": "0", "temperature": ""}))
        self.assertIn("there is no surface “spoiler”", answer)
        answer = self.change(
            **self.rows("air.walls"),
            **self.rows("instruments.formulas",
                        {"name": "f", "expression": "__import__('os')", "steady_within": ""}))
        self.assertIn("not arithmetic", answer)

    def test_the_planner_answers_and_explains(self):
        self.change(**{"flow.model": "turbulent"})
        answer = self.client.post(self.sheet_url + "/plan",
                                  data={"planner.y_plus": "1",
                                        "planner.stations": "0.1 0.5"}).get_data(as_text=True)
        self.assertIn("Fill the grid section", answer)
        answer = self.client.post(self.sheet_url + "/plan",
                                  data={"planner.y_plus": "0",
                                        "planner.stations": "0.1"}).get_data(as_text=True)
        self.assertIn("accepted are 0.05", answer)
        answer = self.client.post(self.sheet_url + "/plan",
                                  data={"planner.y_plus": "1",
                                        "planner.stations": "here"}).get_data(as_text=True)
        self.assertIn("is not a number", answer)


class Looks(WithClient):
    def setUp(self):
        super().setUp()
        air = {
            "motion": "mach", "mach": 0.2, "viscosity_law": "from Reynolds number", "reynolds": 40,
            "walls": [{"surface": "jet", "speed": 5.0}]
        }
        done = run({"level": "coarse", "kind": "hybrid"}, air=air, flow={"model": "laminar"},
                   instruments={"formulas": [{"name": "glide", "expression": "lift / drag"}]}, shape={
                       "kind": "ellipse", "thickness": 1.0,
                       "surfaces": [{"name": "jet", "side": "angle", "start": 80, "end": 100}]
                   })
        self.done = done
        variant = campaigns.add_variant(self.db, self.campaign, "pylon", done.sheet.shape.model_dump())
        point = campaigns.add_point(self.db, self.campaign, "slow", done.sheet.air.model_dump())
        self.run_id = store_run(self.db, self.campaign, variant, point, done)

    def test_profile_wake_and_panel(self):
        self.assertIn("thickness", self.text(f"/runs/{self.run_id}/profile?x=0.3&y=0.6"))
        self.assertIn("CD from the wake", self.text(f"/runs/{self.run_id}/wake?x=6"))
        self.assertIn("behind the body", self.text(f"/runs/{self.run_id}/wake?x=0.5"))
        self.text(f"/runs/{self.run_id}/wake?x=there", 400)
        page = self.text(f"/runs/{self.run_id}")
        for words in ("the momentum they blow", "Control volume", "glide", "Boundary layer"):
            self.assertIn(words, page)
        self.assertIn("glide", self.text(f"/campaigns/{self.campaign}/curves?run={self.run_id}"))
        self.assertTrue(
            self.client.get(f"/campaigns/{self.campaign}/curves.json?run={self.run_id}&what=glide").get_json(
            )["traces"][0]["y"])

    def test_frames_play_back(self):
        _, flow, state = self.done.field()
        frame = (state[:, :4] / flow.column_scale[:4]).astype("float16")
        runs.keep_array(self.db, self.run_id, "frames", pack_frames([1.0, 2.0], [frame, frame]))
        self.assertIn('data-times="[1.0, 2.0]"', self.text(f"/runs/{self.run_id}/flow"))
        whole, first = (self.client.get(f"/runs/{self.run_id}/field.bin{q}") for q in ("", "?frame=1"))
        self.assertEqual(first.status_code, 200)
        # One field of a moment instead of all of them, and no grid.
        self.assertLess(len(first.data), 0.2 * len(whole.data))
        self.text(f"/runs/{self.run_id}/field.bin?frame=1&q=nonsense", 404)
        self.assertNotIn('value="fluctuation"', self.text(f"/runs/{self.run_id}/flow"))
        mean = state[:, :4].copy()
        mean[:, 0] -= 0.01
        runs.keep_array(self.db, self.run_id, "frames", pack_frames([1.0, 2.0], [frame, frame], mean))
        self.assertIn('value="fluctuation"', self.text(f"/runs/{self.run_id}/flow"))
        moment = self.client.get(f"/runs/{self.run_id}/field.bin?frame=0&q=fluctuation").data
        length = int.from_bytes(moment[:4], "little")
        head = json.loads(moment[4:4 + length])
        values = np.frombuffer(moment[4 + length:], dtype="<f4").reshape(len(head["values"]), head["points"])
        air = self.done.setup.air
        self.assertAlmostEqual(float(np.median(values[head["values"].index("fluctuation")])),
                               0.01 * air.density * air.speed_of_sound**2, delta=1.0)
        self.text(f"/runs/{self.run_id}/field.bin?frame=7", 404)


class GridStudy(WithClient):
    def test_a_study_is_queued_shown_and_leaves_the_matrix_alone(self):
        url = self.sheet_url + "/study"
        self.assertIn("No study of this cell yet", self.text(url))
        answer = self.client.post(url, data={"factors": "one"})
        self.assertEqual(answer.status_code, 400)
        self.assertIn("is not a number", answer.get_data(as_text=True))
        self.assertEqual(self.client.post(url, data={"factors": "0.7 1"}).status_code, 302)
        queued = runs.study_runs(self.db, self.variant, self.point)
        self.assertEqual(sorted(r["study"] for r in queued), [0.7, 1.0])
        self.assertEqual(runs.latest_runs(self.db, self.campaign), {})
        for row, value in zip(queued, (0.30, 0.31)):
            result = {**finished().result, "cells": int(1000 * row["study"]**2)}
            result["coefficients"] = {**result["coefficients"], "lift": value}
            runs.finish(self.db, row["id"], "settled", result)
        page = self.text(url)
        for words in ("limit", "error bar of the finest", "<svg"):
            self.assertIn(words, page)

    def test_a_study_that_is_too_fine_is_refused(self):
        self.client.post(self.sheet_url,
                         data={"grid.around": "1600", "grid.layers": "200", "grid.level": "fine"})
        answer = self.client.post(self.sheet_url + "/study", data={"factors": "1 4"})
        self.assertIn("fewer than 400 000", answer.get_data(as_text=True))
