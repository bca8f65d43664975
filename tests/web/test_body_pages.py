"""Pages of campaigns about bodies, through a test client."""
import io
import json
import struct
import tempfile
import unittest

import numpy as np

from tests.marks import slow
from tests.bodies import CAR, SMALL, WHEEL, body_sheet, run_body
from tests.core.test_solids import cart
from tests.web.client import WithClient
from tests.web.test_gallery import LOOK
from ventaris.core.formats.body_files import body_vtu
from ventaris.core.formats.surfaces import unpack_surface, write_surface
from ventaris.core.look.body_field import body_field
from ventaris.core.report.campaign import campaign_report
from ventaris.core.shapes import bodies
from ventaris.core.sheet import write_toml
from ventaris.core.study.kinds.body.ready import prepare_body
from ventaris.core.units import show
from ventaris.store import archive, campaigns, reports, runs, views
from ventaris.store.database import open_database
from ventaris.store.surfaces import surface_bytes
from ventaris.store.body_fields import pack_body_field, unpack_body_field

_finished = {}


def finished(length=4.0):
    if length not in _finished:
        _finished[length] = run_body([{**CAR, "length": length}, WHEEL], grid={**SMALL, "level": "coarse"})
    return _finished[length]


def arrays(data):
    """Header and arrays of a packed answer."""
    length = struct.unpack("<I", data[:4])[0]
    head, offset = json.loads(data[4:4 + length]), 4 + length
    for part in head["arrays"]:
        head[part["name"]] = np.frombuffer(data, "<" + part["kind"], part["count"], offset)
        offset += 4 * part["count"]
    assert offset == len(data)
    return head


class WithBody(WithClient):
    def setUp(self):
        super().setUp()
        sheet = body_sheet([CAR, WHEEL], grid={**SMALL, "level": "coarse"})
        self.body_campaign = campaigns.add_campaign(
            self.db, "Car", "round or blunt?",
            {k: getattr(sheet, k).model_dump()
             for k in ("domain", "grid", "instruments", "flow", "run")}, "body")
        self.body_variant = campaigns.add_variant(self.db, self.body_campaign, "short",
                                                  sheet.shape.model_dump())
        self.body_point = campaigns.add_point(self.db, self.body_campaign, "30 m/s", sheet.air.model_dump())
        self.sheet_url = f"/sheet/{self.body_variant}/{self.body_point}"

    def with_run(self, variant=None, length=4.0):
        execution = finished(length)
        run_id = runs.add_run(self.db, self.body_campaign, variant or self.body_variant, self.body_point,
                              write_toml(execution.sheet))
        level, flow, state = execution.field()
        runs.record(self.db, run_id, "running", execution.history, {"share": 1})
        runs.keep_array(self.db, run_id, "field",
                        pack_body_field(body_field(level, flow, state, execution.setup.scale)))
        runs.finish(self.db, run_id, "settled", execution.result)
        return run_id


class Sheets(WithBody):
    @slow
    def test_a_campaign_about_bodies_begins(self):
        answer = self.client.post("/campaigns", data={"name": "Nose", "space": "body"})
        self.assertIn("/variants/new", answer.location)
        self.assertIn("vehicle", self.text(answer.location))
        made = self.client.post(answer.location, data={"name": "first", "source": "vehicle"})
        self.assertIn("/points/new", made.location)
        point = self.client.post(made.location, data={"name": "slow", "speed": "60 km/h", "yaw": "5 deg"})
        self.assertIn("Vehicle body", self.text(point.location))

    def test_the_sheet_page_and_every_drawing(self):
        page = self.text(self.sheet_url)
        self.assertIn("Preflight", page)
        self.assertIn("cells on the finest level", page)
        for section in ("shape", "air", "domain", "grid", "instruments", "flow", "run"):
            with self.subTest(section):
                self.assertIn("<svg", self.text(f"{self.sheet_url}/drawing/{section}"))
        self.assertIn("cut by the body", self.client.post(f"{self.sheet_url}/quality").get_data(as_text=True))

    def test_the_grids_caption_tells_the_sizes_that_the_levels_have(self):
        setup = prepare_body(body_sheet([CAR, WHEEL], grid={**SMALL, "level": "coarse"}))
        size = setup.plan.size * setup.scale
        text = self.text(f"{self.sheet_url}/drawing/grid")
        for times in (2.25, 1.5, 1.0):
            self.assertIn(show(size * times, "m", 3), text)

    def test_a_change_is_saved_and_a_mistake_named(self):
        form = {"air.speed": "72 km/h", "shape.parts.count": "1"}
        for part in (CAR, WHEEL):
            for key in ("name", "kind", "length", "width"):
                form.setdefault(f"shape.parts[].{key}", []).append(part.get(key, 1))
        self.client.post(self.sheet_url, data=form)
        self.assertAlmostEqual(campaigns.point(self.db, self.body_point)["air"]["speed"], 20)
        answer = self.client.post(self.sheet_url, data={"grid.budget": "3"}).get_data(as_text=True)
        self.assertIn("grid.budget", answer)

    @slow
    def test_the_preview_follows_the_form(self):
        head = arrays(self.client.post(f"{self.sheet_url}/body.bin").data)
        self.assertEqual([name for name, _, _ in head["groups"]],
                         ["car nose", "car middle", "car base", "wheel front", "wheel side", "wheel rear"])
        self.assertEqual(len(head["points"]), len(head["normals"]))
        self.assertEqual(head["named"], [])
        low, high = np.array(head["box"])
        region = {
            "name": "nose", "kind": "piece", "x": f"{low[0]} m", "y": "0", "z": f"{0.5 * (low[2] + high[2])}",
            "angle": "20", "length": "1", "width": "1", "height": "1"
        }
        picked = arrays(
            self.client.post(
                f"{self.sheet_url}/body.bin",
                data={"shape.regions.count": "1", **{f"shape.regions[].{k}": v
                                                     for k, v in region.items()}}).data)
        self.assertEqual(picked["named"], ["nose"])
        self.assertIn("nose", [name for name, _, _ in picked["groups"]])
        self.assertEqual(
            self.client.post(f"{self.sheet_url}/body.bin", data={"shape.parts.count": "1"}).status_code, 422)

    def test_a_surface_is_brought_in_as_a_part_and_kept_in_archives(self):
        data = write_surface(bodies.box(500, 200, 100), "stl")
        answer = self.client.post(f"{self.sheet_url}/import",
                                  data={"file": (io.BytesIO(data), "crate.stl"), "unit": "mm"})
        self.assertEqual(answer.get_json(), {"part": "crate"})
        page = self.text(self.sheet_url)
        self.assertIn("crate.stl", page)
        again = archive.import_campaign(self.db, archive.export_campaign(self.db, self.body_campaign))
        shape = campaigns.variants(self.db, again)[0]["shape"]
        self.assertEqual(shape["parts"][2]["unit"], "mm")
        self.assertEqual(campaigns.campaign(self.db, again)["space"], "body")
        self.assertEqual(len(self.client.get(f"/variants/{self.body_variant}/body.stl").data[:80]), 80)

    @slow
    def test_a_solid_model_brings_its_unit_and_the_names_of_its_parts(self):
        answer = self.client.post(f"{self.sheet_url}/import",
                                  data={"file": (io.BytesIO(cart()), "Cart.STEP"), "unit": "mm"})
        self.assertEqual(answer.get_json(), {"part": "Cart"})
        shape = campaigns.variant(self.db, self.body_variant)["shape"]
        self.assertEqual(shape["parts"][-1]["unit"], "m")
        stored = unpack_surface(surface_bytes(self.db, shape["parts"][-1]["source"].removeprefix("kept:")))
        self.assertEqual(stored.parts, ("crate", "wheel", "wheel 2"))
        self.assertAlmostEqual(stored.size[0], 1.0, places=6)

    def test_the_planner_tells_what_the_wall_needs(self):
        plan = lambda **given: self.client.post(f"{self.sheet_url}/plan", data={
            f"planner.{name}": value for name, value in given.items()}).get_data(as_text=True)
        said = plan(y_plus="40", stations="0.25 1")
        self.assertIn("Along the body", said)
        self.assertIn("grid.first_height", said)
        self.assertIn("accepted are 0.05", plan(y_plus="0", stations="1"))

    @slow
    def test_files_that_cannot_be_read_say_why(self):
        for data, name, words in ((b"glTF nonsense", "a.glb", "does not begin as a GLB"),
                                  (b"", "b.iges", "STL, OBJ, PLY, GLB and STEP"),
                                  (b"solid", "b.step", "does not begin with ISO-10303-21"),
                                  (b"\0" * 84, "c.stl", "no triangles")):
            with self.subTest(name):
                answer = self.client.post(f"{self.sheet_url}/import", data={"file": (io.BytesIO(data), name)})
                self.assertEqual(answer.status_code, 400)
                self.assertIn(words, answer.get_json()["problem"])

    def test_a_body_whose_surface_is_gone_is_explained(self):
        lost = campaigns.add_variant(
            self.db, self.body_campaign, "lost",
            {"parts": [{"name": "crate", "kind": "surface", "source": "kept:nothing"}]})
        self.assertIn("Import its file again", self.text(f"/variants/{lost}/body.stl", 400))

    def test_a_sheet_of_the_other_kind_is_refused(self):
        text = "format = 1\n"
        answer = self.client.post(f"/campaigns/{self.body_campaign}/sheet",
                                  data={"sheet": (io.BytesIO(text.encode()), "a.toml")})
        self.assertEqual(answer.status_code, 400)
        self.assertIn("sections in a plane", answer.get_data(as_text=True))


class Runs(WithBody):
    def test_matrix_run_page_and_files(self):
        run_id = self.with_run()
        self.assertIn("Drag area", self.text(f"/campaigns/{self.body_campaign}"))
        self.assertIn("drag_area", self.text(f"/campaigns/{self.body_campaign}?show=drag_area"))
        page = self.text(f"/runs/{run_id}")
        for words in ("By surface", "References", "surface.vtp",
                      "Averaged over" if finished().result["averages"] else "Forces"):
            self.assertIn(words, page)
        for what in ("result.json", "sheet.toml", "history.csv", "surface.csv", "surface.vtp", "field.vtu"):
            with self.subTest(what):
                self.assertEqual(self.client.get(f"/runs/{run_id}/download/{what}").status_code, 200)
        self.assertEqual(self.client.get(f"/runs/{run_id}/thumbnail.png").data[:4], b"\x89PNG")

    def test_the_two_parts_of_a_wings_drag_are_shown_where_they_are_known(self):
        run_id = self.with_run()
        self.assertNotIn("Drag in two", self.text(f"/runs/{run_id}"))
        result = json.loads(json.dumps(finished().result))
        result["coefficients"] |= {"drag_induced": 0.0123, "drag_lost": 0.0345}
        runs.finish(self.db, run_id, "settled", result)
        text = self.text(f"/runs/{run_id}")
        self.assertIn("Drag in two", text)
        self.assertIn("0.01230", text)
        self.assertIn("friction, shocks and cells", text)

    def test_the_flow_view_and_its_answers(self):
        run_id = self.with_run()
        self.assertIn("Cut planes", self.text(f"/runs/{run_id}/flow"))
        head = arrays(self.client.get(f"/runs/{run_id}/surface.bin").data)
        self.assertAlmostEqual(float(head["cp"].max()), 1, delta=0.3)
        plane = arrays(
            self.client.get(
                f"/runs/{run_id}/plane.bin?normal=y&at=0.1&q=loss&turn=10&tilt=5&columns=60").data)
        self.assertGreater(len(plane["triangles"]), 300)
        for query in ("kind=disc&count=12", "kind=line&centre=-1,0,0.5&size=1 m&count=5",
                      "kind=inflow&count=9"):
            self.assertGreater(
                len(arrays(self.client.get(f"/runs/{run_id}/streams.bin?{query}").data)["lengths"]), 2)
        lines = arrays(self.client.get(f"/runs/{run_id}/streams.bin?count=9&by=cp").data)
        self.assertEqual(lines["quantity"]["key"], "cp")
        self.assertLess(lines["speed"].min(), 0)
        surface = arrays(self.client.get(f"/runs/{run_id}/iso.bin?q=loss&value=0.3").data)
        self.assertEqual((surface["empty"], surface["quantity"]["key"]), (False, "speed"))
        by = arrays(self.client.get(f"/runs/{run_id}/iso.bin?q=loss&value=0.3&by=cp").data)
        self.assertEqual((by["quantity"]["key"], len(by["values"])), ("cp", len(surface["values"])))
        self.assertTrue(arrays(self.client.get(f"/runs/{run_id}/iso.bin?q=mach&value=9").data)["empty"])
        # A line ends where it would leave the wall at an edge: at once for a seed that stands there.
        oil = arrays(self.client.get(f"/runs/{run_id}/oil.bin?count=20").data)
        self.assertGreater(len(oil["lengths"]), 17)
        low, high = np.array(head["box"])
        points = oil["points"].reshape(-1, 3)
        self.assertTrue(((points > low - 0.3) & (points < high + 0.3)).all())

    def test_streamlines_start_from_what_was_clicked(self):
        run_id = self.with_run()
        spot = arrays(self.client.get(
            f"/runs/{run_id}/streams.bin?kind=spot&centre=2,-0.9,0.7&normal=0,-1,0&size=0.3&count=12").data)
        self.assertEqual(len(spot["lengths"]), 12)
        part = arrays(self.client.get(f"/runs/{run_id}/streams.bin?kind=part&part=car&count=15").data)
        self.assertGreater(len(part["lengths"]), 8)
        answer = self.client.get(f"/runs/{run_id}/streams.bin?kind=part&part=mast")
        self.assertEqual(answer.status_code, 400)
        self.assertIn("there are car", answer.get_data(as_text=True))

    @slow
    def test_a_view_is_kept_and_drawn(self):
        run_id = self.with_run()
        answer = self.client.post(f"/runs/{run_id}/views", data={"name": "Corner", "view": json.dumps(
            {"kind": "body", "look": LOOK})})
        self.assertEqual(answer.status_code, 200, answer.data)
        gallery = self.text(f"/campaigns/{self.body_campaign}/gallery")
        self.assertIn(f"/runs/{run_id}/view.png?name=Corner", gallery)
        self.assertEqual(self.client.get(f"/runs/{run_id}/view.png?name=Corner").data[:4], b"\x89PNG")
        document = campaign_report(reports.material_of(self.db, self.body_campaign))
        captions = [p.caption for block in document.blocks for p in getattr(block, "pictures", ())]
        self.assertTrue(any(c.startswith("Corner, ") for c in captions), captions)
        with tempfile.TemporaryDirectory() as folder:
            other = open_database(folder)
            archive.import_campaign(other, archive.export_campaign(self.db, self.body_campaign))
            self.assertEqual([v.look for v in views.views_of(campaigns.all_campaigns(other)[0])], [LOOK])
            other.close()
        self.client.post(f"/campaigns/{self.body_campaign}/copy")
        self.assertEqual(len(views.views_of(campaigns.all_campaigns(self.db)[0])), 1)
        plane = {"quantity": "cp", "box": [0, 1, 0, 1]}
        self.assertEqual(self.client.post(f"/runs/{run_id}/views", data={"name": "P", "view": json.dumps(
            plane)}).status_code, 400)

    @slow
    def test_bad_queries_are_explained(self):
        run_id = self.with_run()
        for path, status in (("plane.bin?normal=w", 400), ("plane.bin?at=here", 400),
                             ("plane.bin?q=nothing", 404), ("streams.bin?kind=cloud", 400),
                             ("streams.bin?centre=1,2", 400), ("iso.bin?q=none", 404),
                             ("streams.bin?by=none", 404), ("iso.bin?by=none", 404)):
            with self.subTest(path):
                self.assertEqual(self.client.get(f"/runs/{run_id}/{path}").status_code, status)
        for path in ("plane.bin?turn=nan", "plane.bin?tilt=inf", "plane.bin?reach=nan", "iso.bin?value=nan"):
            self.assertEqual(self.client.get(f"/runs/{run_id}/{path}").status_code, 200, path)
        away = arrays(self.client.get(f"/runs/{run_id}/plane.bin?at=99").data)
        self.assertEqual(len(away["triangles"]), 0)

    @slow
    def test_looks_of_the_other_kind_are_refused_in_words(self):
        body, section = self.with_run(), self.with_runs()[0]
        for path in (f"/runs/{body}/field.bin", f"/runs/{body}/profile?x=1&y=0",
                     f"/runs/{section}/surface.bin", f"/sheet/{self.body_variant}/{self.body_point}/study"):
            with self.subTest(path):
                answer = self.client.get(path)
                self.assertEqual(answer.status_code, 404)
                self.assertRegex(answer.get_data(as_text=True), "This run is about|Grid studies are of")

    def test_two_bodies_are_compared(self):
        other = campaigns.add_variant(self.db, self.body_campaign, "long",
                                      body_sheet([{**CAR, "length": 4.4}, WHEEL]).shape.model_dump())
        one, two = self.with_run(), self.with_run(other, 4.4)
        page = self.text(f"/campaigns/{self.body_campaign}/compare?run={one}&run={two}")
        self.assertIn("By surface", page)
        self.assertIn("Where along the body", page)
        head = arrays(self.client.get(f"/runs/{two}/surface.bin?minus={one}").data)
        self.assertTrue(head["quantities"][0]["label"].startswith("Difference"))
        curves = self.client.get(
            f"/campaigns/{self.body_campaign}/curves.json?what=build_drag&run={one}&run={two}").get_json()
        self.assertEqual(len(curves["traces"]), 2)
        self.assertIn("Along the body", self.text(f"/campaigns/{self.body_campaign}/curves"))
        self.check_curves_across(one, two)

    def check_curves_across(self, one, two):
        ask = lambda query: self.client.get(f"/campaigns/{self.body_campaign}/curves.json?{query}")
        load = ask(f"what=span_lift&run={one}&run={two}").get_json()
        self.assertEqual((len(load["traces"]), load["x"]), (2, "y in m"))
        cut = ask(f"what=cut_cp&axis=y&at=20+cm&run={one}").get_json()
        self.assertTrue(cut["reverse"])
        self.assertEqual(cut["x"], "x in m")
        self.assertRegex(cut["traces"][0]["name"], r"chord 4(\.0\d*)? m, lift of the pressure over it -?\d")
        values = [v for v in cut["traces"][0]["y"] if v is not None]
        self.assertTrue(0.6 < max(values) < 1.4, max(values))
        self.assertEqual(ask(f"what=cut_cf&axis=x&at=1&run={one}").get_json()["x"], "y in m")
        missed = ask(f"what=cut_cp&at=9&run={one}").get_json()["traces"][0]
        self.assertIn("no wall at y = 9 m", missed["name"])
        for query, words in (("axis=q", "accepted are x, y and z"), ("at=far", "at: ")):
            answer = ask(f"what=cut_cp&{query}&run={one}")
            self.assertEqual(answer.status_code, 400)
            self.assertIn(words, answer.get_data(as_text=True))


class Stored(unittest.TestCase):
    def test_a_field_comes_back_from_its_bytes(self):
        execution = finished()
        level, flow, state = execution.field()
        field = body_field(level, flow, state, execution.setup.scale, False, execution.setup.air)
        back = unpack_body_field(pack_body_field(field), execution.setup.air)
        points = np.random.default_rng(2).uniform(-0.5, 1.5, (200, 3))
        np.testing.assert_allclose(back.sample(points, ("cp", "vx")), field.sample(points, ("cp", "vx")),
                                   atol=2e-4)
        np.testing.assert_array_equal(back.leaf_cell, field.leaf_cell)
        self.assertNotIn("fluctuation", back.quantities)

    def test_means_over_time_come_back_too(self):
        execution = finished()
        level, flow, state = execution.field()
        mean = np.column_stack([0.9 * state[:, :5], np.full(len(state), 1e-8)])
        field = body_field(level, flow, state, execution.setup.scale, False, execution.setup.air, mean)
        back = unpack_body_field(pack_body_field(field), execution.setup.air)
        air = execution.setup.air
        np.testing.assert_allclose(back.values("fluctuation"),
                                   0.1 * state[:, 0] * air.density * air.speed_of_sound**2, atol=0.01)
        np.testing.assert_allclose(back.values("pressure_rms"), 1e-4 * air.density * air.speed_of_sound**2,
                                   rtol=1e-5)
        self.assertIn(b"pressure_about_mean_Pa", body_vtu(field))


if __name__ == "__main__":
    unittest.main()
