"""Walls whose blowing or sliding changes in time."""
import unittest

import numpy as np

from tests.marks import slow
from tests.sheets import sheet
from ventaris.core.flow.driven_walls import Steered
from ventaris.core.sheet import SheetError, read_toml, write_toml
from ventaris.core.study.channels import FormulaError
from ventaris.core.study.execute import execute
from ventaris.core.study.kinds.section.driven import Steering
from ventaris.core.study.kinds.section.preflight import preflight
from ventaris.core.study.progress import Checkpoint
from ventaris.core.study.setup import prepare

AIR = {"motion": "mach", "mach": 0.1, "viscosity_law": "from Reynolds number", "reynolds": 60}
SLOTS = {"kind": "ellipse", "thickness": 1.0, "surfaces": [
    {"name": "top", "side": "angle", "start": 70, "end": 110},
    {"name": "back", "side": "angle", "start": 330, "end": 30}]}
SINE = {"surface": "top", "varies": "sine", "speed": 1.0, "swing": 4.0, "reduced": 1.0}


def driven(*walls, air=(), **sections):
    sections.setdefault("flow", {"model": "laminar", "time": "unsteady"})
    sections.setdefault("run", {"duration": 1.5, "time_step": 0.05, "frames": 0, "disturbance": 0})
    return sheet({"level": "coarse", "around": 64, "layers": 8}, shape=SLOTS, domain={"far_field": 15},
                 air={**AIR, **dict(air), "walls": list(walls)}, **sections)


def followed(asked, resume=None, until=None):
    run = execute(asked, resume)
    for _ in run:
        if until and run.time_march is not None and len(run.recorder.entries) == until:
            break
    return run


class Refused(unittest.TestCase):
    def test_rows_say_what_is_wrong(self):
        for row, words in (({"varies": "formula"}, "needs one, for example"),
                           ({"varies": "table", "points": [(0, 0), (1, 1)]}, "three pairs"),
                           ({"varies": "table", "points": [(0, 0), (1, 1), (1, 2)]}, "back in time"),
                           ({"varies": "table", "repeats": "yes", "points": [(0, 0), (1, 1), (2, 2)]},
                            "ends where it began"), ({"varies": "often"}, "not one of")):
            with self.subTest(words=words), self.assertRaises(SheetError) as caught:
                driven({**SINE, **row})
            self.assertIn(words, str(caught.exception))

    def test_a_formula_names_its_wall_and_the_channel(self):
        setup = prepare(driven({"surface": "top", "varies": "formula", "formula": "3 * lilt"}))
        with self.assertRaisesRegex(FormulaError, "air.walls: the formula of “top”.*lilt"):
            Steering(setup.driven, ["lift"], setup.air)
        said = preflight(prepare(driven({"surface": "top", "varies": "formula", "formula": "3 * lilt"})))
        self.assertTrue(any(f.grade == "stop" and "lilt" in f.message for f in said))

    def test_two_rows_cannot_drive_one_wall(self):
        said = preflight(prepare(driven(SINE, SINE)))
        self.assertTrue(any("Two rows drive “top”" in f.message for f in said))

    def test_steady_flow_says_that_it_holds_them(self):
        said = " ".join(f.message for f in preflight(prepare(driven(SINE, flow={"model": "laminar"}))))
        self.assertIn("held as it stands at the beginning", said)


class Laws(unittest.TestCase):
    def test_an_actuator_gives_no_more_than_it_can(self):
        wall = Steered(0.0, 2.0, 10.0)
        wall.steer(5.0, 0.1)
        self.assertAlmostEqual(wall.value(0.0), 1.0)
        for _ in range(5):
            wall.steer(5.0, 0.1)
        self.assertAlmostEqual(wall.value(0.0), 2.0)
        wall.steer(-5.0, 0.05)
        self.assertAlmostEqual(wall.value(0.0), 1.5)

    def test_steps_follow_what_swings(self):
        self.assertAlmostEqual(prepare(driven(SINE)).driven_step, np.pi / 72)
        self.assertIsNone(prepare(driven()).driven_step)

    def test_what_moves_repeats_only_with_its_walls(self):
        pitch = {"motions": [{"does": "pitch", "reduced": 0.5}]}
        self.assertIsNotNone(prepare(driven(SINE, air=pitch)).moving.period)
        self.assertIsNone(prepare(driven({**SINE, "reduced": 0.7}, air=pitch)).moving.period)

    def test_the_sheet_is_kept_as_text(self):
        asked = driven({"surface": "top", "varies": "table", "repeats": "yes",
                        "points": [(0, 0), (1, 2), (2, 0)]},
                       {"surface": "back", "varies": "formula", "formula": "2 * lift"})
        self.assertEqual(read_toml(write_toml(asked)), asked)


@slow
class Runs(unittest.TestCase):
    def test_what_blows_is_what_was_asked(self):
        run = followed(driven(SINE))
        entries = run.recorder.entries
        time = 0.05 * np.arange(1, len(entries) + 1)
        speed = np.array([entry["speed_top"] for entry in entries])
        self.assertLess(np.abs(speed - 1.0 - 4.0 * np.sin(2 * time)).max(), 1e-9)
        # Mass flow over that of the stream through a chord; its density is that of the air at the wall.
        mass = np.array([entry["slot_mass_flow"] for entry in entries])
        length = 0.5 * np.radians(40)
        self.assertLess(np.abs(mass - speed / 34.03 * length).max(), 0.02 * np.abs(mass).max())

    def test_a_formula_holds_the_lift_down(self):
        free = followed(driven({"surface": "body", "action": "move", "speed": 20}))
        held = followed(driven({"surface": "body", "action": "move", "speed": 20, "varies": "formula",
                                "formula": "20 * lift", "most": 60, "rate": 1e5}))
        one, two = (abs(run.recorder.entries[-1]["lift"]) for run in (free, held))
        self.assertLess(two, 0.8 * one)

    def test_an_interrupted_run_comes_to_the_same_end(self):
        asked = driven({"surface": "top", "varies": "formula", "formula": "5 * sin(time) - 3 * lift"},
                       {**SINE, "surface": "back"})
        whole = followed(asked)
        part = followed(asked, until=11)
        again = followed(asked, Checkpoint.from_bytes(part.checkpoint().to_bytes()))
        for name in ("lift", "speed_top", "speed_back"):
            self.assertAlmostEqual(again.recorder.entries[-1][name], whole.recorder.entries[-1][name], 6)


if __name__ == "__main__":
    unittest.main()
