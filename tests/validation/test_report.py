import re
import tempfile
import unittest
import xml.etree.ElementTree as ET
from pathlib import Path
from unittest import mock

from tests.validation.test_cases import LEFT_TO_THE_REPORT
from ventaris.core.study.trend import grid_trend
from ventaris.validation import report
from ventaris.validation.case import Case, Check
from ventaris.validation.cases import CASES
from ventaris.validation.turbulence import plate_mesh


def good():
    return Case("good", "A good case", "setup", [Check("CL", 0.35, 0.34, 0.36, "a source")], 1.5,
                [("computed, upper", [0, 1], [1, -1], "computed"),
                 ("reference", [0, 1], [1, -1], "reference")], trends={"lift": grid_trend([0.3, 0.34, 0.35])})


def bad():
    return Case("bad", "A bad case", "setup", [Check("CD", 0.5, 0.0, 0.1, "a source")], 1.0)


class Report(unittest.TestCase):
    def write(self, **cases):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        path = Path(folder.name) / "validation.md"
        said = []
        with mock.patch.object(report, "CASES", cases):
            passed = report.write_report(path, echo=said.append)
        return passed, path, "\n".join(said)

    def test_an_accepted_case_is_written_with_numbers_trend_and_picture(self):
        passed, path, said = self.write(good=good)
        text = path.read_text()
        self.assertTrue(passed)
        self.assertIn("| CL | 0.35 | 0.34 … 0.36 | a source |", text)
        self.assertIn("observed order", text)
        ET.parse(path.parent / "figures/good.svg")
        self.assertIn("accepted A good case", said)

    def test_a_refused_case_is_plain_to_see(self):
        passed, path, said = self.write(good=good, bad=bad)
        self.assertFalse(passed)
        self.assertIn("**0.5 (outside)**", path.read_text())
        self.assertIn("**no**", path.read_text())
        self.assertIn("<-- outside", said)

    def test_a_value_that_is_missing_never_passes(self):
        self.assertFalse(Check("x", float("nan"), 0, 1, "").passed)

    def test_choosing_cases_does_not_overwrite_the_report(self):
        with tempfile.TemporaryDirectory() as folder, mock.patch.object(report, "CASES",
                                                                        {"good": good, "bad": bad}):
            path = Path(folder) / "validation.md"
            self.assertTrue(report.write_report(path, only=["good"], update=True))
            self.assertFalse(path.exists())

    def test_a_chosen_case_replaces_its_own_section_if_asked(self):
        better = lambda: Case("bad", "A bad case", "setup", [Check("CD", 0.05, 0.0, 0.1, "a source")], 2.0)
        _, path, _ = self.write(good=good, bad=bad)
        before = path.read_text()
        with mock.patch.object(
                report, "CASES", {
                    "good": good,
                    "new": lambda: Case("new", "A new case", "setup", [Check("x", 1.0, 0, 2, "s")], 3.0),
                    "bad": better
                }):
            report.write_report(path, only=["bad"])
            self.assertEqual(path.read_text(), before)
            report.write_report(path, only=["bad"], update=True)
            report.write_report(path, only=["new"], update=True)
        text = path.read_text()
        self.assertIn("| [A bad case](#bad) | yes | 2.0 s |", text)
        self.assertNotIn("outside", text)
        self.assertIn("| CL | 0.35 | 0.34 … 0.36 | a source |", text)
        self.assertLess(text.index('id="good"'), text.index('id="new"'))
        self.assertLess(text.index('id="new"'), text.index('id="bad"'))
        self.assertEqual(text.count("Python"), 1)


class Stored(unittest.TestCase):
    def setUp(self):
        self.text = "".join((Path(__file__).parents[2] / "docs" / name).read_text()
                            for name in ("validation.md", "validation-bodies.md", "validation-nozzles.md",
                                         "validation-noise.md", "validation-rows.md"))

    def test_the_reports_in_the_docs_cover_every_case_and_all_were_accepted(self):
        for key in CASES:
            self.assertIn(f'id="{key}"', self.text)
        self.assertNotIn("**no**", self.text)

    def test_cases_of_minutes_are_left_to_the_report(self):
        seconds = {
            key: float(took)
            for key, took in re.findall(r"\(#([\w-]+)\) \| [^|]+ \| ([\d.]+) s \|", self.text)
        }
        self.assertEqual(set(seconds), set(CASES))
        self.assertEqual({key for key, took in seconds.items() if took > 60} - LEFT_TO_THE_REPORT, set())

    def test_plate_mesh_has_its_names_and_sizes(self):
        mesh = plate_mesh(ahead=8, along=20, layers=12)
        self.assertEqual(mesh.n_cells, 28 * 12)
        self.assertEqual(len(mesh.boundaries["plate"]), 20)
        self.assertEqual(len(mesh.boundaries["symmetry"]), 8)
        self.assertAlmostEqual(mesh.volume.sum(), 2.33, places=6)
