"""Pages of campaigns about nozzles, and of round bodies, through a test client."""
import io
import json
import unittest

from tests.nozzles import CONE, SMALL, nozzle_sheet, run_nozzle
from tests.sheets import run as run_section
from tests.web.client import WithClient, store_run
from ventaris.core.sheet import write_toml
from ventaris.store import archive, campaigns, runs
from ventaris.store.fields import pack_field, pack_rows, unpack_field, unpack_rows

_finished = {}
AIR = {"total_pressure": 3e5, "back_pressure": 2.4e5}


def finished(**shape):
    key = json.dumps(shape, sort_keys=True)
    if key not in _finished:
        _finished[key] = run_nozzle(
            shape={**CONE, **shape}, air=AIR,
            instruments={"formulas": [{"name": "recovery", "expression": "exit_p_total / inlet_p_total"}]})
    return _finished[key]


class WithNozzle(WithClient):
    def setUp(self):
        super().setUp()
        sheet = nozzle_sheet(air=AIR)
        self.nozzles = campaigns.add_campaign(self.db, "Blaster", "where does the shock stand?",
                                              {"grid": SMALL}, "nozzle")
        self.nozzle = campaigns.add_variant(self.db, self.nozzles, "cone", sheet.shape.model_dump())
        self.supply = campaigns.add_point(self.db, self.nozzles, "3 bar", sheet.air.model_dump())
        self.sheet_url = f"/sheet/{self.nozzle}/{self.supply}"

    def with_run(self, variant=None, **shape):
        execution = finished(**shape)
        run_id = runs.add_run(self.db, self.nozzles, variant or self.nozzle, self.supply,
                              write_toml(execution.sheet))
        level, flow, state = execution.field()
        runs.record(self.db, run_id, "running", execution.history, {"share": 1})
        runs.keep_array(self.db, run_id, "field", pack_field(level, flow.mesh, state))
        runs.keep_array(self.db, run_id, "taps", pack_rows(execution.rows()))
        runs.finish(self.db, run_id, "settled", execution.result)
        return run_id


class Sheets(WithNozzle):
    def test_a_campaign_about_nozzles_begins(self):
        answer = self.client.post("/campaigns", data={"name": "Lance", "space": "nozzle"})
        self.assertIn("bell-shaped", self.text(answer.location))
        made = self.client.post(answer.location,
                                data={"name": "first", "source": "convergent", "form": "planar"})
        self.assertIn("/points/new", made.location)
        point = self.client.post(made.location,
                                 data={"name": "low", "total_pressure": "0.5 bar", "given_as": "relative"})
        page = self.text(point.location)
        self.assertIn("50000", page)
        self.assertIn("151325", page)

    def test_a_contour_is_brought_in(self):
        answer = self.client.post(
            f"/campaigns/{self.nozzles}/variants/new", data={
                "name": "own", "source": "coordinates", "unit": "mm", "text": "0 50\n50 30\n120 35\n",
                "form": "round"
            })
        self.assertEqual(answer.status_code, 302)
        shape = campaigns.variants(self.db, self.nozzles)[-1]["shape"]
        self.assertEqual(shape["points"][1], [0.05, 0.03])
        answer = self.client.post(f"/campaigns/{self.nozzles}/variants/new",
                                  data={"name": "bad", "source": "coordinates", "text": "no numbers"})
        self.assertEqual(answer.status_code, 400)

    def test_the_sheet_page_and_every_drawing(self):
        page = self.text(self.sheet_url)
        self.assertIn("Air and supply", page)
        self.assertIn("with a shock inside", page)
        self.assertIn("above ambient", page)
        for kind in ("duct", "plate"):
            self.client.post(self.sheet_url, data={"domain.kind": kind})
            for section in ("shape", "air", "domain", "grid", "instruments", "flow", "run"):
                with self.subTest(section, kind=kind):
                    self.assertIn("<svg", self.text(f"{self.sheet_url}/drawing/{section}"))
        self.assertIn("skew", self.client.post(f"{self.sheet_url}/quality").get_data(as_text=True).lower())

    def test_mistakes_are_named(self):
        for form, words in (({"air.total_pressure": "1 bar"},
                             "nothing would flow"), ({"shape.throat_radius": "80 mm"}, "narrowest place"),
                            ({"shape.converge_length": "2 mm"}, "too short")):
            with self.subTest(words):
                self.assertIn(words, self.client.post(self.sheet_url, data=form).get_data(as_text=True))

    def test_a_grid_study_is_of_sections(self):
        self.assertIn("climb of a body or nozzle", self.text(f"{self.sheet_url}/study", 404))
        for other in ("plan", "import", "body.bin"):
            self.assertEqual(self.client.post(f"{self.sheet_url}/{other}").status_code, 404, other)


class Results(WithNozzle):
    def test_the_run_page_says_what_a_nozzle_delivers(self):
        page = self.text(f"/runs/{self.with_run()}")
        for words in ("Mass flow, kg/s", "Thrust, N", "One-dimensional theory", "Shock inside",
                      "total temperature", "recovery", "lines.csv"):
            self.assertIn(words, page)

    def test_the_matrix_and_the_card_show_thrust(self):
        self.with_run()
        page = self.text(f"/campaigns/{self.nozzles}")
        self.assertIn("Thrust in N", page)
        self.assertIn("total 300 kPa", page)
        self.assertIn("Thrust in N:", self.text("/"))
        self.assertIn("0.", self.text(f"/campaigns/{self.nozzles}?show=shock"))

    def test_field_files_and_pictures(self):
        run_id = self.with_run()
        self.assertEqual(self.client.get(f"/runs/{run_id}/field.bin").status_code, 200)
        self.assertEqual(self.client.get(f"/runs/{run_id}/picture.png?q=mach").data[:4], b"\x89PNG")
        self.assertEqual(self.client.get(f"/runs/{run_id}/thumbnail.png").data[:4], b"\x89PNG")
        self.assertEqual(self.client.get(f"/runs/{run_id}/picture.png?q=cp").status_code, 404)
        self.assertIn("axis", self.text(f"/runs/{run_id}/download/lines.csv"))
        self.assertIn(
            "VTKFile",
            self.client.get(f"/runs/{run_id}/download/field.vtu").data[:200].decode(errors="replace"))
        self.assertEqual(self.client.get(f"/runs/{run_id}/download/taps.csv").status_code, 404)
        lines = self.client.get(f"/runs/{run_id}/lines?count=6").get_json()["lines"]
        self.assertGreater(len(lines), 3)
        self.assertNotIn("Wall and wake", self.text(f"/runs/{run_id}/flow"))
        self.assertIn("about a nozzle", self.text(f"/runs/{run_id}/profile?x=0.1&y=0", 404))

    def test_theory_stands_beside_the_curves(self):
        run_id = self.with_run()
        data = self.client.get(
            f"/campaigns/{self.nozzles}/curves.json?what=wall:pressure&run={run_id}").get_json()
        self.assertEqual(len(data["traces"]), 2)
        self.assertTrue(data["traces"][1]["theory"])
        self.assertEqual(data["x"], "x in m")
        history = self.client.get(
            f"/campaigns/{self.nozzles}/curves.json?what=thrust&run={run_id}").get_json()
        self.assertEqual(history["x"], "Step")
        self.assertIn("Along the nozzle", self.text(f"/campaigns/{self.nozzles}/curves"))

    def test_two_nozzles_are_compared(self):
        longer = campaigns.add_variant(self.db, self.nozzles, "longer", {**CONE, "diverge_length": 0.14})
        one, other = self.with_run(), self.with_run(longer, diverge_length=0.14)
        page = self.text(f"/campaigns/{self.nozzles}/compare?run={one}&run={other}")
        self.assertIn("Divergence length", page)
        self.assertIn("Thrust in N", page)
        self.assertIn("Pressure along the wall", page)
        self.assertEqual(self.client.get(f"/runs/{one}/difference/{other}/field.bin").status_code, 200)

    def test_archives_carry_nozzles(self):
        self.with_run()
        again = archive.import_campaign(self.db, archive.export_campaign(self.db, self.nozzles))
        self.assertEqual(campaigns.campaign(self.db, again)["space"], "nozzle")
        self.assertEqual(len(runs.latest_runs(self.db, again)), 1)

    def test_stored_fields_and_lines_come_back(self):
        execution = finished()
        _, flow, state = execution.field()
        _, mesh, again = unpack_field(pack_field("coarse", flow.mesh, state))
        self.assertTrue(mesh.is_revolved)
        self.assertEqual(mesh.layout["order"].shape, flow.mesh.layout["order"].shape)
        self.assertLess(abs(again - state).max(), 1e-5)
        rows = unpack_rows(pack_rows(execution.rows()))
        self.assertEqual(set(rows), {"axis", "wall"})


class RoundBodies(WithClient):
    def test_a_round_body_on_every_page(self):
        execution = run_section(
            shape={
                "kind": "revolution", "thickness": 0.2, "nose": "ogive", "nose_length": 0.4,
                "tail_length": 0.2, "base": 0.6
            }, domain={"kind": "round", "far_field": 10}, air={"motion": "mach", "mach": 0.5})
        campaign = campaigns.add_campaign(self.db, "Dart", "", {"domain": {"kind": "round", "far_field": 10}})
        variant = campaigns.add_variant(self.db, campaign, "ogive", execution.sheet.shape.model_dump())
        point = campaigns.add_point(self.db, campaign, "M 0.5", execution.sheet.air.model_dump())
        run_id = store_run(self.db, campaign, variant, point, execution)
        self.assertIn("CD", self.text(f"/runs/{run_id}"))
        self.assertEqual(self.client.get(f"/runs/{run_id}/field.bin").status_code, 200)
        self.assertIn("frontal area", self.text(f"/sheet/{variant}/{point}/drawing/domain"))
        self.assertIn("ogive nose", self.text(f"/campaigns/{campaign}"))
        self.assertIn("control volume", self.text(f"/runs/{run_id}/wake?x=2"))

    def test_a_body_of_revolution_is_begun(self):
        campaign = campaigns.add_campaign(self.db, "Dart")
        answer = self.client.post(f"/campaigns/{campaign}/variants/new",
                                  data={"name": "dart", "source": "revolution", "chord": "1.2 m"})
        self.assertEqual(answer.status_code, 302)
        self.assertEqual(campaigns.variants(self.db, campaign)[0]["shape"]["kind"], "revolution")

    def test_a_nozzle_sheet_is_refused_by_a_campaign_of_sections(self):
        campaign = campaigns.add_campaign(self.db, "Sections")
        answer = self.client.post(f"/campaigns/{campaign}/sheet",
                                  data={"sheet": (io.BytesIO(write_toml(nozzle_sheet()).encode()), "a.toml")})
        self.assertEqual(answer.status_code, 400)
        self.assertIn("nozzles and their jets", answer.get_data(as_text=True))


if __name__ == "__main__":
    unittest.main()
