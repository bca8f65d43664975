"""Speed lines: what their points say, where their end is looked for, and whom a point starts from."""
import tempfile
import unittest

from ventaris.core.sheet import read_sheet, write_toml
from ventaris.core.study.kinds.row.line import LinePoint, efficiency_contours, read_line
from ventaris.core.study.progress import Checkpoint
from ventaris.store import campaigns, runs
from ventaris.store.database import open_database
from ventaris.worker.job import of_store

import numpy as np


def point(closing, flow, ratio=1.2, efficiency=0.8, settled=True, back=0.0, run=1):
    return LinePoint(closing, flow, ratio, efficiency, settled, back, run)


OPEN = [
    point(2e3, 4.22, 1.16, 0.77, run=1),
    point(7e3, 4.15, 1.22, 0.82, run=2),
    point(11e3, 4.06, 1.27, 0.835, run=3)
]


class Lines(unittest.TestCase):
    def test_the_end_lies_between_the_last_stable_and_the_first_stalled_point(self):
        for stalled in (point(16e3, 2.3, run=5), point(16e3, 3.9, settled=False,
                                                       run=5), point(16e3, 3.9, back=0.1, run=5)):
            line = read_line([stalled, *OPEN[::-1]])
            self.assertEqual((line.last.run, line.stalled.run), (3, 5))
            self.assertEqual(line.next_closing, 13.5e3)
            self.assertEqual(line.choke_flow, 4.22)
            self.assertEqual((line.best_ratio.run, line.best_efficiency.run), (3, 3))

    def test_what_lies_beyond_a_stalled_point_counts_for_nothing(self):
        line = read_line([*OPEN, point(14e3, 2.5), point(15e3, 2.45, ratio=1.9, run=7)])
        self.assertEqual(line.last.run, 3)
        self.assertEqual(line.best_ratio.run, 3)
        self.assertEqual(line.beyond, (1, 7))
        self.assertEqual(read_line(OPEN).beyond, ())

    def test_an_open_line_goes_a_step_further_and_a_narrow_one_is_left(self):
        self.assertEqual(read_line(OPEN).next_closing, 15e3)
        self.assertIsNone(read_line(OPEN[:1]).next_closing)
        self.assertIsNone(read_line([]).last)
        # 0.0225 kg/s per kPa: within 0.4 % of the flow from 0.7 kPa on.
        self.assertIsNone(read_line([*OPEN, point(11.5e3, 2.5)]).next_closing)
        self.assertIsNotNone(read_line([*OPEN, point(12.5e3, 2.5)]).next_closing)

    def test_nothing_settled_has_no_line(self):
        line = read_line([point(2e3, 4.0, settled=False)])
        self.assertIsNone(line.last)
        self.assertIsNone(line.next_closing)
        self.assertEqual(line.stalled.closing, 2e3)


class Contours(unittest.TestCase):

    def line(self, speed, efficiency):
        flows = speed / 1e4 * np.linspace(4.2, 3.6, 6)
        ratios = 1 + (speed / 1e4)**2 * np.linspace(0.15, 0.3, 6)
        return speed, read_line([point(1e3 * k, flow, ratio, efficiency(flow, ratio))
                                 for k, (flow, ratio) in enumerate(zip(flows, ratios))])

    def test_levels_lie_where_a_plane_efficiency_has_them(self):
        plane = lambda flow, ratio: 0.5 + 0.05 * flow + 0.1 * ratio
        found = efficiency_contours([self.line(speed, plane) for speed in (8e3, 1e4, 1.2e4)])
        self.assertGreater(len(found), 3)
        for level, curve in found:
            self.assertTrue(np.allclose(plane(*curve.T), level, atol=1e-3))
            self.assertAlmostEqual(level * 100, round(level * 100), places=6)

    def test_one_line_has_none(self):
        self.assertEqual(efficiency_contours([self.line(1e4, lambda flow, ratio: 0.8)]), [])
        self.assertEqual(efficiency_contours([]), [])


class Neighbours(unittest.TestCase):
    """A point starts from the nearest one that is throttled less."""
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.db = open_database(folder.name)
        self.addCleanup(self.db.close)
        self.rows = campaigns.add_campaign(self.db, "Fan", "", {}, "row")
        self.fan = campaigns.add_variant(self.db, self.rows, "plan", {"made": "plan"})

    def store(self, name, kept=True, **air):
        point = campaigns.add_point(self.db, self.rows, name, air)
        sheet = read_sheet({"format": 1, "space": "row", "shape": {"made": "plan"}, "air": air})
        run = runs.add_run(self.db, self.rows, self.fan, point, write_toml(sheet))
        runs.finish(self.db, run, "settled", {})
        if kept:
            mark = Checkpoint(write_toml(sheet), "fine", np.full((3, 5), air["back_pressure"]), {}, [], [],
                              1.0, None, {})
            runs.keep_array(self.db, run, "checkpoint", mark.to_bytes())
        return sheet

    def start_of(self, **air):
        point = campaigns.add_point(self.db, self.rows, f"wanted {air}", air)
        sheet = read_sheet({"format": 1, "space": "row", "shape": {"made": "plan"}, "air": air})
        run = runs.run(self.db, runs.add_run(self.db, self.rows, self.fan, point, write_toml(sheet)))
        found = of_store(self.db, run)._neighbour(sheet)
        lines = [line["line"] if isinstance(line, dict) else line for line in runs.log(self.db, run["id"])]
        return found and float(found.state[0, 0]), " ".join(map(str, lines))

    def test_from_the_side_of_the_open_throttle(self):
        for pressure in (104e3, 108e3, 114e3):
            self.store(f"{pressure:g}", back_pressure=pressure)
        self.assertEqual(self.start_of(back_pressure=110e3)[0], 108e3)
        self.assertEqual(self.start_of(back_pressure=120e3)[0], 114e3)
        self.assertIsNone(self.start_of(back_pressure=103e3)[0])

    def test_only_from_what_fits_and_was_kept(self):
        self.store("swirled", back_pressure=104e3, total_temperature=300.0)
        self.store("lost", back_pressure=105e3, kept=False)
        found, said = self.start_of(back_pressure=106e3)
        self.assertIsNone(found)
        self.assertIn("begins afresh", said)
        self.store("fits", back_pressure=103e3, speed=13000.0)
        found, said = self.start_of(back_pressure=106e3)
        self.assertEqual(found, 103e3)
        self.assertIn("Starting from fits", said)


if __name__ == "__main__":
    unittest.main()
