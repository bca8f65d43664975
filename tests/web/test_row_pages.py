"""Pages of campaigns about blade rows, through a test client."""
import io
import json
import unittest

from tests.marks import slow
from tests.web.client import WithClient
from ventaris.core.sheet import read_sheet, write_toml
from ventaris.core.study.execute import execute
from ventaris.store import archive, campaigns, runs
from ventaris.web.maps import CLOSED_BY
from ventaris.store.kept import pack_kept_field, pack_kept_readings

SMALL = {
    "level": "coarse", "side_cells": 40, "edge_cells": 16, "off_cells": 20, "span_cells": 20, "gap_cells": 4,
    "ahead_cells": 8, "behind_cells": 12
}
SHAPE = {"made": "plan", "tip_gap": 0.0006}
AIR = {"back_pressure": 108000.0}
_finished = []


def finished():
    """A coarse run of the default plan, computed once."""
    if not _finished:
        run = execute(
            read_sheet({
                "format": 1, "space": "row", "title": "fan", "shape": SHAPE, "air": AIR, "grid": SMALL, "run":
                {"residual": 1e-3, "steady": 1e-2}
            }))
        for _ in run:
            pass
        _finished.append(run)
    return _finished[0]


class WithRow(WithClient):
    def setUp(self):
        super().setUp()
        self.rows = campaigns.add_campaign(self.db, "Fan", "how much flow?", {"grid": SMALL}, "row")
        self.fan = campaigns.add_variant(self.db, self.rows, "plan", SHAPE)
        self.point = campaigns.add_point(self.db, self.rows, "108 kPa", AIR)
        self.sheet_url = f"/sheet/{self.fan}/{self.point}"

    def with_run(self, variant=None):
        execution = finished()
        run_id = runs.add_run(self.db, self.rows, variant or self.fan, self.point,
                              write_toml(execution.sheet))
        runs.record(self.db, run_id, "running", execution.history, {"share": 1})
        runs.keep_array(self.db, run_id, "field", pack_kept_field(execution.kept_field()))
        runs.keep_array(self.db, run_id, "taps", pack_kept_readings(execution.rows()))
        runs.finish(self.db, run_id, "settled", execution.result)
        return run_id


class Sheets(WithRow):
    def test_a_campaign_about_blade_rows_begins_with_each_kind(self):
        for source, words in (("sections", "Casing radius"), ("plan", "Total-pressure ratio of the plan"),
                              ("propeller", "Tip radius"), ("wheel", "Tip radius")):
            answer = self.client.post("/campaigns", data={"name": source, "space": "row"})
            self.assertIn("wind wheel", self.text(answer.location))
            made = self.client.post(answer.location, data={"name": "first", "source": source})
            point = self.client.post(
                made.location,
                data={"name": "one", "speed": "900 rpm", "wind": "8 m/s", "back_pressure": "0.98 bar"})
            page = self.text(point.location)
            self.assertIn(words, page)
            self.assertIn("900", page)

    def test_the_drawings_show_blades_wheel_and_grid(self):
        for section in ("shape", "air", "domain", "grid", "instruments", "flow", "run"):
            page = self.client.post(f"{self.sheet_url}/drawing/{section}").get_data(as_text=True)
            self.assertIn("<svg", page, section)
        self.assertIn("from upstream",
                      self.client.post(f"{self.sheet_url}/drawing/shape").get_data(as_text=True))

    def test_the_plan_becomes_sections_of_its_own_and_a_table(self):
        answer = self.client.post(f"{self.sheet_url}/sections", data={"from": "plan"})
        self.assertEqual(answer.status_code, 302)
        shape = campaigns.variant(self.db, self.fan)["shape"]
        self.assertEqual((shape["made"], len(shape["sections"])), ("sections", 7))
        table = self.client.get(f"/variants/{self.fan}/sections.csv").get_data()
        changed = table.replace(b",0.09,", b",0.08,")
        answer = self.client.post(f"{self.sheet_url}/sections",
                                  data={"file": (io.BytesIO(changed), "blade.csv")})
        self.assertEqual(answer.status_code, 302)
        self.assertEqual(campaigns.variant(self.db, self.fan)["shape"]["sections"][0]["thickness"], 0.08)
        wrong = self.client.post(f"{self.sheet_url}/sections",
                                 data={"file": (io.BytesIO(b"radius_m,chord_m\n1,2\n"), "blade.csv")})
        self.assertEqual(wrong.status_code, 400)
        self.assertIn("stagger_deg", wrong.get_data(as_text=True))

    def test_an_inlet_over_the_span_comes_as_a_table(self):
        table = self.client.get(f"/points/{self.point}/inlet.csv").get_data()
        self.assertTrue(table.startswith(b"span_percent,total_pressure_pa,total_temperature_k,angle_deg"))
        changed = table.replace(b"101325", b"99000", 1)
        answer = self.client.post(f"{self.sheet_url}/inlet", data={"file": (io.BytesIO(changed), "in.csv")})
        self.assertEqual(answer.status_code, 302)
        air = campaigns.point(self.db, self.point)["air"]
        self.assertEqual([s["total_pressure"] for s in air["profile"]], [99000.0, 101325.0])
        self.assertEqual(air["back_pressure"], 108000.0)
        self.assertIn("Inlet over the span by 2 stations: total pressure 99000 to 101325 Pa",
                      self.client.post(f"{self.sheet_url}/drawing/air").get_data(as_text=True))
        wrong = self.client.post(f"{self.sheet_url}/inlet", data={
            "file": (io.BytesIO(b"span_percent,angle_deg\n0,120\n100,3\n"), "in.csv")})
        self.assertEqual(wrong.status_code, 400)
        self.assertIn("accepted: -80 to 80", wrong.get_data(as_text=True).replace("−", "-"))

    def test_a_point_by_its_mass_flow_is_made_swept_and_closed(self):
        made = self.client.post(f"/campaigns/{self.rows}/points/new",
                                data={"name": "14", "outlet_flow": "14 kg/s"})
        point = campaigns.point(self.db, int(made.location.rsplit("/", 1)[1]))
        self.assertEqual((point["air"]["outlet"], point["air"]["outlet_flow"]), ("flow", 14.0))
        self.client.post(f"/campaigns/{self.rows}/points/sweep", data={
            "across": "outlet_flow", "from": "12 kg/s", "to": "13 kg/s", "step": "0.5 kg/s"})
        names = {p["name"]: p["air"].get("outlet") for p in campaigns.points(self.db, self.rows)}
        self.assertEqual(names["flow 12.5"], "flow")
        self.assertEqual(CLOSED_BY["flow"].of({"outlet_flow": 12.5}), -12.5)
        self.assertEqual(CLOSED_BY["flow"].words(-12.5), "12.500 kg/s")
        self.assertEqual(CLOSED_BY["throttle"].words(11500), "11.50 kPa")

    def test_bad_input_is_said_on_the_sheet(self):
        answer = self.client.post(self.sheet_url, data={"shape.blades": "400", "shape.made": "sections"})
        self.assertIn("accepted: 1 to 200", answer.get_data(as_text=True))
        answer = self.client.post(self.sheet_url, data={"air.back_pressure": "9 bar"})
        self.assertIn("no air would pass", answer.get_data(as_text=True))


class Runs(WithRow):
    def test_a_run_shows_its_numbers_planes_and_curves(self):
        run_id = self.with_run()
        page = self.text(f"/runs/{run_id}")
        for words in ("Mass flow", "Pressure ratio", "Efficiency", "by the change of swirl",
                      "diffusion factor"):
            self.assertIn(words, page)
        self.assertIn("Blade to blade", self.text(f"/runs/{run_id}/flow"))
        head = self.client.get(f"/runs/{run_id}/field.bin").get_data()
        self.assertIn(b'"mach"', head[:4000])
        home = f"/campaigns/{self.rows}"
        blade = json.loads(self.text(f"{home}/curves.json?run={run_id}&what=blade_50:mach"))
        self.assertEqual(len(blade["traces"]), 2)
        self.assertEqual(blade["x"], "share of the axial chord")
        span = json.loads(self.text(f"{home}/curves.json?run={run_id}&what=span:pressure_ratio"))
        self.assertEqual(span["x"], "share of the span")
        self.assertGreater(max(span["traces"][0]["y"]), 1.05)
        for name in ("lines.csv", "field.vtu", "result.json", "sheet.toml"):
            self.assertEqual(self.client.get(f"/runs/{run_id}/download/{name}").status_code, 200, name)
        self.assertEqual(self.client.get(f"/runs/{run_id}/thumbnail.png").status_code, 200)

    def test_the_map_has_a_line_over_the_mass_flow(self):
        self.with_run()
        found = json.loads(self.text(f"/campaigns/{self.rows}/map.json"))
        self.assertEqual([chart["key"] for chart in found["charts"][:2]], ["pressure_ratio", "efficiency"])
        row = found["lines"][0]["rows"][0]
        self.assertAlmostEqual(row["x"], finished().result["coefficients"]["mass_flow"])
        self.assertEqual(self.client.get(f"/campaigns/{self.rows}/map").status_code, 200)
        self.assertEqual(self.client.get(f"/campaigns/{self.rows}").status_code, 200)
        self.assertIn("Efficiency:", self.text("/"))

    def line(self, *flows, speed=14000.0):
        """Finished points of the line at 108, 110, 112 kPa … with these mass flows."""
        for k, flow in enumerate(flows):
            air = {"back_pressure": 108000.0 + 2000 * k, "speed": speed}
            point = self.point
            if k or speed != 14000:
                point = campaigns.add_point(self.db, self.rows, f"{108 + 2 * k} kPa, {speed:g}", air)
            result = json.loads(json.dumps(finished().result))
            result["coefficients"] |= {
                "mass_flow": flow, "corrected_flow": 1.1 * flow, "back_flow": 0.0, "pressure_ratio":
                1 + (speed / 14e3)**2 * (0.2 + 0.01 * k), "efficiency": 0.8 + 0.02 * k - 1e-6 * speed
            }
            result["air"]["speed_of_rotation"] = speed
            sheet = read_sheet({"format": 1, "space": "row", "shape": SHAPE, "air": air, "grid": SMALL})
            run = runs.add_run(self.db, self.rows, self.fan, point, write_toml(sheet))
            runs.finish(self.db, run, "settled", result)

    def test_the_end_of_a_speed_line_is_looked_for_by_halving(self):
        self.line(15.6, 15.2, 11.0)
        page = self.text(f"/campaigns/{self.rows}/map")
        self.assertIn("halve towards the stall, 111.00 kPa", page)
        form = {"variant": self.fan, "speed": "14000", "outlet": "pressure"}
        answer = self.client.post(f"/campaigns/{self.rows}/map/close", data=form)
        self.assertEqual(answer.status_code, 302)
        added = campaigns.points(self.db, self.rows)[-1]
        self.assertEqual((added["name"], added["air"]["back_pressure"]), ("back 111 kPa", 111000.0))
        waiting = runs.runs_of_cell(self.db, self.fan, added["id"])
        self.assertEqual([run["state"] for run in waiting], ["waiting"])
        self.assertIn("a point is on its way", self.text(f"/campaigns/{self.rows}/map"))
        # Pressed once more, it is the same point and the same run.
        self.client.post(f"/campaigns/{self.rows}/map/close", data=form)
        self.assertEqual(len(campaigns.points(self.db, self.rows)), 4)
        self.assertEqual(len(runs.runs_of_cell(self.db, self.fan, added["id"])), 1)

    def test_several_speeds_make_a_map_with_contours(self):
        self.line(15.6, 15.2, 11.0)
        self.assertEqual(json.loads(self.text(f"/campaigns/{self.rows}/map.json"))["contours"], [])
        self.line(11.2, 10.9, speed=10000.0)
        found = json.loads(self.text(f"/campaigns/{self.rows}/map.json"))
        self.assertEqual({line["variant"] for line in found["lines"]}, {"plan, 10000 rpm", "plan, 14000 rpm"})
        fallen = [row["x"] for line in found["lines"] for row in line["rows"] if row["fallen"]]
        self.assertEqual(fallen, [11.0])
        self.assertGreater(len(found["contours"]), 0)
        self.assertTrue(all(0.77 < one["level"] < 0.83 for one in found["contours"]))
        found = json.loads(self.text(f"/campaigns/{self.rows}/map.json?across=corrected_flow"))
        self.assertEqual({line["variant"]
                          for line in found["lines"]},
                         {"plan, 10000 rpm corrected", "plan, 14000 rpm corrected"})
        self.assertIn(1.1 * 15.6, [row["x"] for line in found["lines"] for row in line["rows"]])

    @slow
    def test_a_line_without_a_stall_is_closed_a_step_further(self):
        self.line(15.6, 15.2)
        self.assertIn("close further, 112.00 kPa", self.text(f"/campaigns/{self.rows}/map"))
        for form in ({}, {"variant": "99", "speed": "14000", "outlet":
                          "pressure"}, {"variant": self.fan, "speed": "x", "outlet": "throttle"}):
            answer = self.client.post(f"/campaigns/{self.rows}/map/close", data=form)
            self.assertEqual(answer.status_code, 400, form)
            self.assertIn("no further point", answer.get_data(as_text=True))
        answer = self.client.post(f"/campaigns/{self.campaign}/map/close", data=form)
        self.assertEqual(answer.status_code, 400)

    def test_two_rows_are_compared(self):
        one = self.with_run()
        other = campaigns.add_variant(self.db, self.rows, "again", SHAPE)
        two = self.with_run(other)
        page = self.text(f"/campaigns/{self.rows}/compare?run={one}&run={two}")
        self.assertIn("Efficiency", page)
        self.assertEqual(self.client.get(f"/runs/{one}/difference/{two}/field.bin").status_code, 200)

    def test_a_series_of_throttle_settings_is_added_in_one_step(self):
        answer = self.client.post(
            f"/campaigns/{self.rows}/points/sweep",
            data={"across": "throttle_rise", "from": "2 kPa", "to": "10 kPa", "step": "4 kPa"})
        self.assertEqual(answer.status_code, 302)
        air = [p["air"] for p in campaigns.points(self.db, self.rows)[1:]]
        self.assertEqual([(a["outlet"], a["throttle_rise"]) for a in air], [("throttle", 2000),
                                                                            ("throttle", 6000),
                                                                            ("throttle", 10000)])

    @slow
    def test_a_campaign_goes_out_as_an_archive_and_comes_back(self):
        self.with_run()
        data = archive.export_campaign(self.db, self.rows)
        again = archive.import_campaign(self.db, data)
        runs_there = list(runs.latest_runs(self.db, again).values())
        self.assertEqual(len(runs_there), 1)
        self.assertIn("Blade to blade", self.text(f"/runs/{runs_there[0]['id']}/flow"))
        self.assertEqual(self.client.get(f"/runs/{runs_there[0]['id']}/field.bin").status_code, 200)


if __name__ == "__main__":
    unittest.main()
