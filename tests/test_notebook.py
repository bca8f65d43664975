"""The Python door: the documented examples, word for word, and what it says to bad input."""
import contextlib
import io
import re
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np
import trimesh

import ventaris
from tests.marks import slow
from ventaris.core.formats.tables import read_columns, write_csv
from ventaris.core.shapes.library import library

ROOT = Path(__file__).parents[1]
EXAMPLES = re.findall(r"```python\n(.*?)```", (ROOT / "docs/python.md").read_text(), re.S)


class Examples(unittest.TestCase):
    """Run one after another, as a reader would."""
    @slow
    def test_the_examples_of_the_docs(self):
        self.assertEqual(len(EXAMPLES), 5)
        self.addCleanup(setattr, library, "folder", library.folder)
        with tempfile.TemporaryDirectory() as folder, contextlib.redirect_stdout(io.StringIO()) as said:
            names = {"folder": Path(folder)}
            pod = trimesh.creation.icosphere(subdivisions=4)
            pod.apply_scale([0.6, 0.25, 0.25]).export(Path(folder) / "pod.stl")
            for example in EXAMPLES:
                exec(example, names)
            files = {path.name for path in (Path(folder) / "pod").iterdir()}
        # Thin section theory with what thickness adds, 1.09.
        self.assertTrue(names["answer"].settled)
        self.assertAlmostEqual(names["lift"], 0.615, delta=0.02)
        self.assertTrue(5.5 < names["slope"] < 7.5, names["slope"])
        # Linear theory: 4 t^2 / sqrt(M^2 - 1) of a double wedge.
        expected = 4 * (0.06**2 - 0.04**2) / np.sqrt(3)
        self.assertTrue(names["more"].is_resolved)
        self.assertAlmostEqual(names["more"].value / expected, 1.0, delta=0.06)
        self.assertEqual(len(names["seen"]), 5)
        self.assertFalse(names["begun"].settled)
        self.assertIn("Stopped by hand", names["begun"].verdict)
        self.assertTrue(names["done"].settled)
        self.assertGreater(len(names["done"].history["residual"]), 5)
        self.assertTrue(names["png"].startswith(b"\x89PNG"))
        self.assertTrue(names["drag"] > 0)
        self.assertTrue({"result.json", "surface.csv", "field.vtu"} <= files)
        self.assertIn("±", said.getvalue())


class Words(unittest.TestCase):
    def test_a_field_that_cannot_be_is_named(self):
        with self.assertRaisesRegex(ventaris.SheetError, "air.incidence"):
            ventaris.sheet("section", air={"incidence": "steep"})
        one = ventaris.sheet("section")
        with self.assertRaisesRegex(ventaris.SheetError, "air.incidense"):
            ventaris.change(one, {"air.incidense": 3})
        with self.assertRaisesRegex(ventaris.SheetError, "sectoin|space"):
            ventaris.sheet("sectoin")

    def test_a_change_leaves_the_first_as_it_was_and_text_gives_it_back(self):
        one = ventaris.sheet("section", air={"incidence": 2})
        two = ventaris.change(one, {"air.incidence": np.float64(5), "title": "steeper"})
        self.assertEqual((one.air.incidence, two.air.incidence, two.title), (2, 5, "steeper"))
        self.assertEqual(ventaris.read(ventaris.text(two)), two)

    def test_what_is_no_channel_is_answered_with_those_there_are(self):
        answer = ventaris.run(ventaris.sheet("section", flow={"model": "inviscid"},
                                             grid={"level": "coarse", "around": 96}))
        with self.assertRaisesRegex(KeyError, "There are: .*lift"):
            answer["lfit"]
        with self.assertRaisesRegex(KeyError, "taps.csv"):
            answer.table("taps")
        self.assertIsNone(answer["lift"].error)
        self.assertFalse(answer["lift"].is_resolved)
        self.assertIn("settled", repr(answer))
        drawn = answer.field()
        self.assertEqual(len(drawn.values["mach"]), len(drawn.points))
        self.assertEqual(answer.table("taps.csv")["cp"].dtype, float)

    def test_tables_come_back_as_they_were_written(self):
        table = read_columns(write_csv({"x": [0.5, 1.5], "side": ["upper", "lower"], "cf": ["", 0.25]}))
        self.assertEqual(table["side"].tolist(), ["upper", "lower"])
        self.assertTrue(np.isnan(table["cf"][0]) and table["cf"][1] == 0.25)

    def test_the_package_alone_loads_nothing(self):
        code = "import sys, ventaris; print('numpy' in sys.modules, 'run' in dir(ventaris))"
        found = subprocess.run([sys.executable, "-c", code], cwd=ROOT, capture_output=True, text=True,
                               check=True)
        self.assertEqual(found.stdout.split(), ["False", "True"])


if __name__ == "__main__":
    unittest.main()
