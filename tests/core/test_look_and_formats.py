import io
import tempfile
import unittest
import xml.etree.ElementTree as ET
from pathlib import Path

import meshio
import numpy as np

from tests.sheets import QUICK, run
from ventaris.core.formats.results import section_files
from ventaris.core.formats.tables import TableError, read_measured, write_csv
from ventaris.core.look.colours import OFFERED, table
from ventaris.core.look.drawable import default_range, drawable
from ventaris.core.look.fields import QUANTITIES, derive
from ventaris.core.look.lines import FlowSampler, rake, streamlines, vectors
from ventaris.core.look.picture import field_picture
from ventaris.core.look.plane_lines import PlaneLines


class Fields(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.execution = run(QUICK)
        _, cls.flow, cls.state = cls.execution.field()
        cls.air = cls.execution.setup.air
        cls.picture = drawable(cls.flow.mesh, cls.state, cls.air)

    def test_the_stream_has_its_own_values(self):
        values = derive(np.array([self.flow.stream.state]), self.air)
        self.assertAlmostEqual(values["pressure"][0] / self.air.pressure, 1, places=9)
        self.assertAlmostEqual(values["density"][0] / self.air.density, 1, places=9)
        self.assertAlmostEqual(values["speed"][0] / self.air.speed, 1, places=9)
        self.assertAlmostEqual(values["loss"][0], 0, places=12)
        self.assertAlmostEqual(values["mach"][0], self.air.mach)

    def test_diverging_ranges_are_centred(self):
        low, high = default_range(self.picture.values["cp"], "cp", self.picture.points)
        self.assertAlmostEqual(low, -high)

    def test_streamlines_pass_round_the_section_and_follow_the_flow(self):
        sampler = FlowSampler(self.picture, (-0.6, 1.6, -0.6, 0.6))
        lines = streamlines(sampler, rake(-0.5, -0.4, 0.4, 9))
        self.assertEqual(len(lines), 9)
        for line in lines:
            self.assertGreater(line[-1, 0], 1.4)
            step = np.diff(line, axis=0)
            velocity = sampler.velocity(0.5 * (line[1:] + line[:-1]))
            cross = step[:, 0] * velocity[:, 1] - step[:, 1] * velocity[:, 0]
            self.assertLess(
                np.nanmax(np.abs(cross) / np.linalg.norm(step, axis=1) / np.linalg.norm(velocity, axis=1)),
                0.1)

    def test_vectors_stay_out_of_the_body(self):
        start, velocity = vectors(FlowSampler(self.picture, (-0.2, 1.2, -0.3, 0.3)), 40)
        upper, lower = self.execution.setup.shape.section.sides(start[:, 0].clip(0, 1))
        inside = (start[:, 0] > 0.05) & (start[:, 0] < 0.95) & (start[:, 1] < upper -
                                                                0.004) & (start[:, 1] > lower + 0.004)
        self.assertFalse(inside.any())
        self.assertTrue(np.isfinite(velocity).all())

    def test_pictures_are_valid_in_both_forms(self):
        for key in self.picture.values.keys() & QUANTITIES.keys():
            self.assertTrue(field_picture(self.picture, key, "png", width=3).startswith(b"\x89PNG"))
        svg = field_picture(self.picture, "cp", "svg", isolines=True, lines=PlaneLines(5),
                            title='a <b> & "c"',
                            width=4)
        ET.fromstring(svg)

    def test_colour_maps_are_offered_without_a_rainbow(self):
        for name in OFFERED:
            self.assertEqual(table(name).shape, (256, 3))
        with self.assertRaises(ValueError):
            table("jet")

    def test_result_files_can_be_read_by_others(self):
        files = section_files(self.execution)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "field.vtu"
            path.write_bytes(files["field.vtu"])
            mesh = meshio.read(path)
        self.assertEqual(len(mesh.cells[0].data), self.flow.n_cells)
        self.assertAlmostEqual(float(mesh.cell_data["pressure_Pa"][0].max()),
                               derive(self.state, self.air)["pressure"].max(), places=3)
        rows = np.genfromtxt(io.BytesIO(files["taps.csv"]), delimiter=",", names=True, dtype=None,
                             encoding="utf-8")
        self.assertEqual(len(rows), len(self.flow.wall))


class Tables(unittest.TestCase):
    def test_measured_data_in_usual_forms(self):
        for text in ("x,cp\n0,1\n0.5,-0.3\n", "x;cp\n0;1\n0.5;-0.3", "# made up\n0 1\n0.5 -0.3",
                     "0\t1\n0.5\t-0.3\n"):
            columns = list(read_measured(text).values())
            self.assertEqual(columns, [[0, 0.5], [1, -0.3]])
        self.assertEqual(list(read_measured("x,cp\n0,1\n")), ["x", "cp"])

    def test_bad_tables_say_which_line(self):
        for text, words in (("a,b\n1,2\nx,y", "Line 3"), ("1,2\n1,2,3", "Line 2"),
                            ("1\n2", "Two or more columns"), ("", "Two or more"), ("1,nan", "not finite"),
                            (b"\x00\x01", "binary"), ("1,2\n" * 20_001, "More than")):
            with self.subTest(words), self.assertRaisesRegex(TableError, words):
                read_measured(text)

    def test_csv_out(self):
        self.assertEqual(write_csv({"a": [1, 2], "b": [0.5, 0.25]}), "a,b\n1,0.5\n2,0.25\n")
