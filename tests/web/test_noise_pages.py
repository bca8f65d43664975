"""The noise screen through a test client."""
import io
import json
import unittest

import numpy as np

from tests.nozzles import CONE
from tests.web.client import WithClient
from ventaris.core.study.execute import execute
from ventaris.core.sheet import write_toml
from ventaris.store import campaigns, runs
from ventaris.store.fields import pack_field, pack_rows
from tests.nozzles import nozzle_sheet

MICROPHONES = [{"name": "near", "x": 0.0, "r": 0.12}]
SETUP = {
    "domain": {"kind": "open air"},
    "flow": {"model": "noise", "cells_per_diameter": 8, "duration": 5,
             "discard": 1}, "instruments": {"microphones": MICROPHONES}
}
_kept = []


def finished():
    if not _kept:
        run = execute(
            nozzle_sheet(shape={**CONE, "diverge_length": 0.0}, air={"total_pressure": 2.3e5}, **SETUP))
        for _ in run:
            pass
        _kept.append(run)
    return _kept[0]


class Noise(WithClient):
    def setUp(self):
        super().setUp()
        sheet = finished().sheet
        self.jets = campaigns.add_campaign(self.db, "Jet", "how loud?", SETUP, "nozzle")
        self.nozzle = campaigns.add_variant(self.db, self.jets, "barrel", sheet.shape.model_dump())
        self.supply = campaigns.add_point(self.db, self.jets, "2.3 bar", sheet.air.model_dump())

    def with_run(self, rows=None):
        execution = finished()
        run_id = runs.add_run(self.db, self.jets, self.nozzle, self.supply, write_toml(execution.sheet))
        level, flow, state = execution.field()
        runs.record(self.db, run_id, "running", execution.history, {"share": 1})
        runs.keep_array(self.db, run_id, "field", pack_field(level, flow.mesh, state))
        runs.keep_array(self.db, run_id, "taps", pack_rows(rows or execution.rows()))
        runs.finish(self.db, run_id, "stopped", execution.result)
        return run_id

    def test_the_sheet_asks_for_microphones(self):
        page = self.text(f"/sheet/{self.nozzle}/{self.supply}")
        for words in ("Microphones", "Time to follow", "periods after the start-up", "µs"):
            self.assertIn(words, page)
        for section in ("shape", "air", "domain", "grid", "instruments", "flow", "run"):
            with self.subTest(section):
                self.assertIn("<svg", self.text(f"/sheet/{self.nozzle}/{self.supply}/drawing/{section}"))
        self.assertIn("absorbing zone", self.text(f"/sheet/{self.nozzle}/{self.supply}/drawing/domain"))
        self.assertEqual(self.client.post(f"/sheet/{self.nozzle}/{self.supply}/quality").status_code, 200)
        answer = self.client.post(
            f"/sheet/{self.nozzle}/{self.supply}", data={
                "instruments.microphones.count": "1", "instruments.microphones[].name": "far",
                "instruments.microphones[].x": "0", "instruments.microphones[].r": "0.4"
            })
        self.assertIn("absorbing zone", answer.get_data(as_text=True))

    def test_the_far_field_and_what_leaves_the_exit_stand_on_the_page(self):
        run_id = self.with_run()
        page = self.text(f"/runs/{run_id}/noise")
        self.assertIn("What leaves the exit is that of one-dimensional theory: Mach 1.000", page)
        self.assertNotIn("Far field, an estimate", page)
        result = json.loads(json.dumps(finished().result))
        result["noise"]["far_field"] = {
            "distance": 7.2, "angles": [30, 90, 150], "levels": [100.0, 97.0, 99.0], "loudest": 2900.0,
            "loudest_levels": [90.0, 95.0, 96.0], "valid_angles": [42.0, 125.0],
            "valid_frequencies": [800.0, 4000.0], "radius": 0.15
        }
        result["noise"]["measured_formula"] = {"cell": 0.74, "speed": 0.6, "frequency": 2870.0}
        runs.finish(self.db, run_id, "settled", result)
        page = self.text(f"/runs/{run_id}/noise")
        for words in ("Far field, an estimate", 'value="7.2"', "42° to", "from 800 to 4000 Hz",
                      "0.740 exit diameters", "2870 Hz"):
            self.assertIn(words, page)
        self.assertEqual(self.client.get(f"/runs/{run_id}/noise.json").get_json()["far"]["loudest"], 2900.0)

    def test_the_drawing_takes_clicks_for_microphones(self):
        drawing = self.text(f"/sheet/{self.nozzle}/{self.supply}/drawing/domain")
        self.assertIn('data-place="microphones"', drawing)
        # Millimetres from the exit, which stands at the nozzle's length.
        length = 1000 * finished().setup.contour.length
        self.assertIn(f'data-from="{length:.3f}"', drawing)

    def test_signals_and_spectra(self):
        # A made-up record with a tone, long enough for its spectrum.
        t = np.arange(0, 0.05, 1e-5)
        run_id = self.with_run({"near": {"s": t, "pressure": 300 * np.sin(2 * np.pi * 3000 * t)}})
        data = self.client.get(f"/runs/{run_id}/noise.json").get_json()
        mic = data["microphones"][0]
        self.assertAlmostEqual(mic["found"]["tones"][0]["frequency"], 3000, delta=30)
        self.assertGreater(len(mic["f"]), 20)
        self.assertLessEqual(len(mic["t"]), 3001)
        self.assertGreater(data["formula"], 1000)
        page = self.text(f"/runs/{run_id}/noise")
        self.assertIn("start-up left out", page)

    def test_measured_data_are_laid_over(self):
        run_id = self.with_run()
        self.client.post(
            f"/campaigns/{self.jets}/measured",
            data={"file": (io.BytesIO(b"f,dB\n1000,90\n2000,95\n"), "tunnel.csv"), "name": "tunnel"})
        data = self.client.get(f"/runs/{run_id}/noise.json?table=1").get_json()
        self.assertEqual(data["measured"][0]["name"], "tunnel")
        self.assertIn("tunnel", self.text(f"/runs/{run_id}/noise"))

    def test_the_run_page_and_its_files(self):
        run_id = self.with_run()
        page = self.text(f"/runs/{run_id}")
        for words in ("Microphone near", "Screech formula", f"/runs/{run_id}/noise"):
            self.assertIn(words, page)
        self.assertIn("near", self.text(f"/runs/{run_id}/download/lines.csv"))
        self.assertEqual(self.client.get(f"/runs/{run_id}/field.bin").status_code, 200)
        self.assertEqual(self.client.get(f"/runs/{run_id}/thumbnail.png").data[:4], b"\x89PNG")
        self.assertIn("Tone at the first microphone", self.text(f"/campaigns/{self.jets}?show=sound_level"))
        traces = self.client.get(
            f"/campaigns/{self.jets}/curves.json?what=axis:mach&run={run_id}").get_json()["traces"]
        self.assertTrue(all(t.get("theory") for t in traces))

    def test_other_runs_have_no_noise(self):
        from tests.web.client import finished as section, store_run
        run_id = store_run(self.db, self.campaign, self.variant, self.point, section())
        self.assertIn("recorded no noise", self.text(f"/runs/{run_id}/noise", 404))


if __name__ == "__main__":
    unittest.main()
