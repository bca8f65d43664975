import io
import json
import re
import struct
import unittest

import numpy as np

from tests.marks import slow
from tests.web.client import WithClient
from ventaris.core.shapes.families import four_digit
from ventaris.core.sheet import read_toml
from ventaris.store import campaigns, runs
from ventaris.web.app import basic_header, create_app


def coordinates(thickness=0.12):
    return "a section\n" + "\n".join(f"{x:.6f} {y:.6f}" for x, y in four_digit(thickness))


class Campaigns(WithClient):
    def test_first_steps_lead_from_campaign_to_shape_to_point_to_sheet(self):
        answer = self.client.post("/campaigns", data={"name": "New", "question": "?"})
        self.assertIn("/variants/new", answer.location)
        campaign = answer.location.split("/")[2]
        answer = self.client.post(
            answer.location,
            data={"name": "first", "source": "coordinates", "text": coordinates(), "chord": "240 mm"})
        self.assertIn("/points/new", answer.location)
        answer = self.client.post(
            answer.location,
            data={"name": "cruise", "speed": "60 mph", "altitude": "3000 ft", "incidence": "2 deg"})
        self.assertIn("/sheet/", answer.location)
        point = campaigns.points(self.db, int(campaign))[0]
        self.assertAlmostEqual(point["air"]["speed"], 26.8224)
        shape = campaigns.variants(self.db, int(campaign))[0]["shape"]
        self.assertAlmostEqual(shape["chord"], 0.24)

    def test_pages_of_an_empty_and_a_filled_campaign(self):
        self.assertIn("Drone wing", self.text("/"))
        self.assertIn("Run what is missing", self.text(f"/campaigns/{self.campaign}"))
        first, _ = self.with_runs()
        page = self.text(f"/campaigns/{self.campaign}?show=lift")
        self.assertIn(f"/runs/{first}", page)
        self.assertIn("settled", page)

    def test_running_what_is_missing_fills_the_queue_once(self):
        for _ in range(2):
            self.client.post(f"/campaigns/{self.campaign}/run")
        self.assertEqual(len(runs.runs_of_cell(self.db, self.variant, self.point)), 1)

    def test_changed_inputs_are_marked_and_offered_to_run_again(self):
        self.with_runs()
        stored = campaigns.variant(self.db, self.variant)
        campaigns.save_shape(self.db, self.variant, stored["revision"], "base",
                             {**stored["shape"], "thickness": 0.1})
        self.assertIn("inputs changed", self.text(f"/campaigns/{self.campaign}"))

    def test_a_kept_matrix_has_the_token_of_its_reader_and_shows_what_is_new(self):
        first, _ = self.with_runs()
        address = f"/campaigns/{self.campaign}"
        pages = [self.app.test_client().get(address).get_data(as_text=True) for _ in range(3)]
        tokens = [set(re.findall(r'name="csrf_token" value="([^"]+)"', page)) for page in pages]
        self.assertTrue(all(len(found) == 1 for found in tokens), tokens)
        self.assertEqual(len(set.union(*tokens)), 3)
        self.assertEqual(len({page.replace(*found, "token") for page, found in zip(pages, tokens)}), 1)
        result = runs.run(self.db, first)["result"]
        result["coefficients"]["drag"] = 0.4321
        runs.finish(self.db, first, "settled", result)
        again = self.text(f"{address}?show=drag")
        self.assertIn("0.4321", again)
        campaigns.add_variant(self.db, self.campaign, "one more", {})
        self.assertIn("one more", self.text(address))

    def test_names_are_escaped(self):
        self.client.post("/campaigns",
                         data={"name": "<script>alert(1)</script>", "question": "<img onerror=x>"})
        page = self.text("/")
        self.assertNotIn("<script>alert", page)
        self.assertIn("&lt;script&gt;alert", page)

    def test_deleting_asks_and_undo_brings_back(self):
        self.assertIn("With it go 1 variant", self.text(f"/delete/campaign/{self.campaign}"))
        page = self.client.post(f"/delete/campaign/{self.campaign}",
                                follow_redirects=True).get_data(as_text=True)
        self.assertIn("Undo", page)
        self.text(f"/campaigns/{self.campaign}", 404)
        self.client.post("/undo")
        self.text(f"/campaigns/{self.campaign}")

    @slow
    def test_archive_out_and_in(self):
        self.with_runs()
        data = self.client.get(f"/campaigns/{self.campaign}/archive").data
        answer = self.client.post("/campaigns/import", data={"archive": (io.BytesIO(data), "c.zip")})
        self.assertEqual(answer.status_code, 302)
        page = self.client.post("/campaigns/import", data={"archive": (io.BytesIO(b"rubbish"), "c.zip")})
        self.assertEqual(page.status_code, 400)
        self.assertIn("not a campaign archive", page.get_data(as_text=True))

    @slow
    def test_bad_coordinates_are_explained_and_what_was_typed_is_kept(self):
        for text, words in (("0 0\n1 0\n0.5 0.1", "Only 3"), ("hello", "No numbers"),
                            (coordinates() + "\nnan nan", "not a finite number"), ("", "Choose a file")):
            answer = self.client.post(f"/campaigns/{self.campaign}/variants/new",
                                      data={"name": "my name", "source": "coordinates", "text": text})
            page = answer.get_data(as_text=True)
            self.assertEqual(answer.status_code, 400)
            self.assertIn(words, page)
            self.assertIn('value="my name"', page)
        data = {"name": "b", "source": "coordinates", "file": (io.BytesIO(bytes(range(256)) * 50), "x.dat")}
        self.assertIn(
            "binary",
            self.client.post(f"/campaigns/{self.campaign}/variants/new", data=data).get_data(as_text=True))

    def test_too_large_uploads_are_refused_with_a_page(self):
        self.app.config["MAX_CONTENT_LENGTH"] = 10_000
        answer = self.client.post("/campaigns/import", data={"archive": (io.BytesIO(b"x" * 20_000), "c.zip")})
        self.assertEqual(answer.status_code, 413)
        self.assertIn("larger than", answer.get_data(as_text=True))


class Sheet(WithClient):
    def change(self, **fields):
        page = self.text(self.sheet_url)
        revisions = {
            f"revision.{n}": page.split(f'name="revision.{n}" value="')[1].split('"')[0]
            for n in ("setup", "shape", "air")
        }
        return self.client.post(self.sheet_url, data={**revisions, **fields})

    def test_a_change_is_saved_and_derived_numbers_come_back(self):
        page = self.change(**{"air.mach": "0.5", "shape.chord": "3 ft"}).get_data(as_text=True)
        self.assertIn("saved", page)
        self.assertAlmostEqual(campaigns.point(self.db, self.point)["air"]["mach"], 0.5)
        self.assertAlmostEqual(campaigns.variant(self.db, self.variant)["shape"]["chord"], 0.9144)

    def test_a_bad_field_is_named_and_the_good_ones_are_saved(self):
        page = self.change(**{"air.mach": "0", "shape.chord": "0.5"}).get_data(as_text=True)
        self.assertIn('data-path="air.mach"', page)
        self.assertIn("more than 0", page)
        self.assertEqual(campaigns.variant(self.db, self.variant)["shape"]["chord"], 0.5)
        self.assertEqual(campaigns.point(self.db, self.point)["air"]["mach"], 0.3)

    def test_two_tabs_conflict_and_may_be_forced(self):
        old = {"revision.shape": "1", "revision.air": "1", "revision.setup": "1"}
        self.client.post(self.sheet_url, data={**old, "shape.thickness": "0.10"})
        page = self.client.post(self.sheet_url,
                                data={**old, "shape.thickness": "0.15"}).get_data(as_text=True)
        self.assertIn("changed in another window", page)
        self.assertEqual(campaigns.variant(self.db, self.variant)["shape"]["thickness"], 0.10)
        self.client.post(self.sheet_url, data={**old, "shape.thickness": "0.15", "force": "1"})
        self.assertEqual(campaigns.variant(self.db, self.variant)["shape"]["thickness"], 0.15)

    def test_probes_are_edited_as_a_table(self):
        self.change(
            **{
                "instruments.probes.count": "1", "instruments.probes[].name": ["a"],
                "instruments.probes[].x": ["1.5"], "instruments.probes[].y": ["0.1"]
            })
        self.assertEqual(
            campaigns.campaign(self.db, self.campaign)["setup"]["instruments"]["probes"],
            [{"name": "a", "x": 1.5, "y": 0.1}])

    def test_a_cell_stored_before_a_field_existed_opens_with_its_default(self):
        for table, column in (("variant", "shape"), ("operating_point", "air"), ("campaign", "setup")):
            for row in self.db.execute(f"SELECT id, {column} AS text FROM {table}").fetchall():
                values = json.loads(row["text"])
                values.pop("title", None), values.pop("prandtl", None)
                values.get("flow", {}).pop("trip", None)
                values.get("edits", {}).pop("flap_blend", None)
                self.db.execute(f"UPDATE {table} SET {column} = ? WHERE id = ?",
                                (json.dumps(values), row["id"]))
        self.assertIn('name="air.prandtl"', self.text(self.sheet_url))
        self.assertIn("saved", self.change(**{"air.mach": "0.4"}).get_data(as_text=True))

    def test_every_drawing_is_made(self):
        for section in ("shape", "air", "domain", "grid", "instruments", "flow", "run"):
            self.assertIn("<svg", self.text(f"{self.sheet_url}/drawing/{section}"))
        self.assertIn("skewness", self.client.post(f"{self.sheet_url}/quality").get_data(as_text=True))

    def test_toml_out_and_in(self):
        text = self.text(f"{self.sheet_url}/sheet.toml")
        self.assertEqual(read_toml(text).air.mach, 0.3)
        answer = self.client.post(f"/campaigns/{self.campaign}/sheet",
                                  data={"sheet": (io.BytesIO(text.encode()), "s.toml")})
        self.assertIn("/sheet/", answer.location)
        page = self.client.post(f"/campaigns/{self.campaign}/sheet",
                                data={"sheet": (io.BytesIO(text.encode() + b"\nbogus = 1\n"), "s.toml")})
        self.assertIn("not known in a run sheet", page.get_data(as_text=True))

    def test_run_is_refused_when_preflight_says_stop(self):
        self.change(**{"air.mach": "4"})
        answer = self.client.post(f"{self.sheet_url}/run")
        self.assertEqual(answer.status_code, 400)
        self.assertIn("beyond 3", answer.get_data(as_text=True))

    def test_run_starts(self):
        answer = self.client.post(f"{self.sheet_url}/run")
        self.assertIn("/runs/", answer.location)
        self.assertIn("waiting", self.text(answer.location))


class Runs(WithClient):
    def test_run_page_live_data_and_files(self):
        run_id, _ = self.with_runs()
        self.assertIn("Settled on the coarse grid", self.text(f"/runs/{run_id}"))
        live = json.loads(self.text(f"/runs/{run_id}/live?after=2"))
        self.assertEqual(live["history"][0]["step"], 3)
        for name in ("result.json", "sheet.toml", "history.csv", "taps.csv", "field.vtu"):
            answer = self.client.get(f"/runs/{run_id}/download/{name}")
            self.assertEqual(answer.status_code, 200)
            self.assertIn("attachment", answer.headers["Content-Disposition"])
        self.text(f"/runs/{run_id}/download/../../secret", 404)

    def test_controls_answer_with_the_panel_or_say_why_not(self):
        run_id = runs.add_run(self.db, self.campaign, self.variant, self.point, "x")
        self.assertIn(
            "paused",
            self.client.post(f"/runs/{run_id}/ask", data={"what": "pause"},
                             headers={"HX-Request": "true"}).get_data(as_text=True))
        self.assertEqual(self.client.post(f"/runs/{run_id}/ask", data={"what": "pause"}).status_code, 409)
        self.assertEqual(self.client.post(f"/runs/{run_id}/ask", data={"what": "explode"}).status_code, 400)

    def test_field_is_packed_as_the_viewer_expects(self):
        run_id, other = self.with_runs()
        answer = self.client.get(f"/runs/{run_id}/field.bin")
        length = struct.unpack("<I", answer.data[:4])[0]
        head = json.loads(answer.data[4:4 + length])
        expected = 4 + length + 4 * (2 * head["points"] + 3 * head["triangles"] + 2 * head["edges"] +
                                     2 * head["outline"] + len(head["values"]) * head["points"])
        self.assertEqual(len(answer.data), expected)
        self.assertEqual(
            self.client.get(f"/runs/{run_id}/field.bin",
                            headers={"If-None-Match": answer.headers["ETag"]}).status_code, 304)
        self.assertEqual(self.client.get(f"/runs/{run_id}/difference/{other}/field.bin").status_code, 200)
        same = self.client.get(f"/runs/{run_id}/difference/{run_id}/field.bin").data
        values = np.frombuffer(same[len(same) - 4 * head["points"] * len(head["values"]):], dtype="<f4")
        self.assertLess(np.abs(values).max(), 0.5)

    def test_lines_and_pictures(self):
        run_id, _ = self.with_runs()
        lines = json.loads(self.text(f"/runs/{run_id}/lines?box=-0.5,1.5,-0.5,0.5&count=7"))["lines"]
        answer = json.loads(self.text(f"/runs/{run_id}/lines?box=-0.5,1.5,-0.5,0.5&count=7&by=cp"))
        self.assertEqual([len(v) for v in answer["values"]], [len(line) for line in answer["lines"]])
        self.assertEqual(self.client.get(f"/runs/{run_id}/lines?by=none").status_code, 404)
        for by, status in (("cp", 200), ("none", 404)):
            self.assertEqual(self.client.get(f"/runs/{run_id}/picture.png?stream=1&by={by}").status_code,
                             status)
        self.assertIn("lines", json.loads(self.text(f"/runs/{run_id}/lines?x=nan&low=inf&high=-inf")))
        self.assertEqual(len(lines), 7)
        self.assertTrue(
            json.loads(self.text(f"/runs/{run_id}/lines?kind=vectors&box=-0.5,1.5,-0.5,0.5"))["start"])
        for form, start in (("png", b"\x89PNG"), ("svg", b"<?xml")):
            self.assertTrue(
                self.client.get(
                    f"/runs/{run_id}/picture.{form}?q=cp&bands=1&iso=1&stream=1&low=-1&high=1&map=vik").data.
                startswith(start))
        self.assertTrue(self.client.get(f"/runs/{run_id}/thumbnail.png").data.startswith(b"\x89PNG"))
        self.assertTrue(
            self.client.get(f"/runs/{run_id}/picture.png?box=nonsense&low=5&high=1&map=jet&count=x&stream=1").
            data.startswith(b"\x89PNG"))
        self.assertEqual(self.client.get(f"/runs/{run_id}/picture.exe").status_code, 404)

    def test_flow_curves_and_compare_pages(self):
        one, other = self.with_runs()
        self.assertIn("streamlines", self.text(f"/runs/{one}/flow"))
        self.assertIn("Pressure coefficient",
                      self.text(f"/campaigns/{self.campaign}/curves?run={one}&run={other}"))
        data = json.loads(self.text(f"/campaigns/{self.campaign}/curves.json?run={one}&run={other}&what=cp"))
        self.assertEqual(len(data["traces"]), 4)
        self.assertEqual(
            len(
                json.loads(
                    self.text(f"/campaigns/{self.campaign}/curves.json?run={one}&what=residual"))["traces"]),
            1)
        page = self.text(f"/campaigns/{self.campaign}/compare?run={one}&run={other}")
        self.assertIn("air.incidence", page)
        self.assertIn("Choose two or more", self.text(f"/campaigns/{self.campaign}/compare?run={one}"))

    def test_measured_data_are_laid_over_and_deleted(self):
        one, _ = self.with_runs()
        answer = self.client.post(
            f"/campaigns/{self.campaign}/measured",
            data={"file": (io.BytesIO(b"x,cp\n0.1,-0.5\n0.2,-0.4\n"), "tunnel.csv"), "run": str(one)})
        self.assertEqual(answer.status_code, 302)
        table = answer.location.split("table=")[1]
        data = json.loads(self.text(f"/campaigns/{self.campaign}/curves.json?run={one}&table={table}"))
        self.assertTrue(any(t.get("measured") for t in data["traces"]))
        self.client.post(f"/measured/{table}/delete")
        data = json.loads(self.text(f"/campaigns/{self.campaign}/curves.json?run={one}&table={table}"))
        self.assertFalse(any(t.get("measured") for t in data["traces"]))
        bad = self.client.post(f"/campaigns/{self.campaign}/measured",
                               data={"file": (io.BytesIO(b"1,2\n3\n"), "t.csv")})
        self.assertIn("Line 2", bad.get_data(as_text=True))


class Polars(WithClient):
    def test_a_series_adds_points_once(self):
        form = {"across": "incidence", "copy": str(self.point), "from": "-2", "to": "4 deg", "step": "2"}
        for _ in range(2):
            self.client.post(f"/campaigns/{self.campaign}/points/sweep", data=form)
        points = campaigns.points(self.db, self.campaign)
        self.assertEqual([p["air"]["incidence"] for p in points], [2, -2, 0, 2, 4])
        self.assertEqual({p["air"]["mach"] for p in points}, {0.3})

    def test_bad_series_are_explained_and_add_nothing(self):
        for change, words in (({"to": "-9"}, "swap"), ({"step": "0"}, "more than 0"),
                              ({"to": "x"}, "not a number"), ({"to": "50", "step": "10"}, "-30 to 30"),
                              ({"to": "20",
                                "step": "0.01"}, "at most 60"), ({"across": "colour"}, "cannot be swept")):
            form = {
                "across": "incidence", "copy": str(self.point), "from": "-2", "to": "4", "step": "2", **change
            }
            answer = self.client.post(f"/campaigns/{self.campaign}/points/sweep", data=form)
            self.assertEqual(answer.status_code, 400)
            self.assertIn(words, answer.get_data(as_text=True))
        self.assertEqual(len(campaigns.points(self.db, self.campaign)), 1)

    def test_map_shows_the_points_with_their_bars(self):
        self.assertIn("No run has a result", self.text(f"/campaigns/{self.campaign}/map"))
        self.with_runs()
        page = self.text(f"/campaigns/{self.campaign}/map")
        self.assertIn("lift slope", page)
        rows = json.loads(
            self.text(f"/campaigns/{self.campaign}/map.json?across=incidence"))["lines"][0]["rows"]
        self.assertEqual([r["x"] for r in rows], [2, 4])
        self.assertGreater(rows[1]["lift"], rows[0]["lift"])
        self.text(f"/campaigns/{self.campaign}/map?across=nonsense")


class Safety(WithClient):
    csrf = True

    def test_changes_need_the_token(self):
        answer = self.client.post("/campaigns", data={"name": "x"})
        self.assertEqual(answer.status_code, 400)
        self.assertIn("too old", answer.get_data(as_text=True))

    def test_headers_forbid_foreign_content(self):
        policy = self.client.get("/").headers["Content-Security-Policy"]
        self.assertIn("default-src 'self'", policy)
        self.assertNotIn("unsafe", policy)

    def test_other_hosts_are_refused(self):
        self.assertEqual(self.client.get("/", headers={"Host": "evil.example"}).status_code, 403)

    def test_a_password_is_asked_when_set(self):
        client = create_app(self.folder, password="alp", local=False).test_client()
        self.assertEqual(client.get("/").status_code, 401)
        self.assertEqual(client.get("/", headers={"Authorization": basic_header("alm")}).status_code, 401)
        self.assertEqual(client.get("/", headers={"Authorization": basic_header("alp")}).status_code, 200)

    def test_unknown_addresses_get_a_page(self):
        for url in ("/campaigns/999", "/runs/999", "/runs/99999999999999999999",
                    f"/campaigns/{self.campaign}/compare?run=99999999999999999999", "/sheet/9/9", "/nowhere",
                    "/delete/table/1"):
            self.assertIn("nothing at this address", self.text(url, 404))


if __name__ == "__main__":
    unittest.main()
