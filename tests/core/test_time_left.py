"""How long a climb still takes is told from what its levels have taken."""
import unittest
from types import SimpleNamespace

from tests.sheets import QUICK, sheet
from ventaris.core.study.execute import execute
from ventaris.core.study.time_left import TimeLeft

CELLS = {"coarse": 1000, "medium": 4000, "fine": 16000}


def climb(finished, name, steps, seconds, followed=(), leaves_after=60, residuals=()):
    """What `TimeLeft` asks of a climb whose finished levels are (steps, settled, seconds)."""
    names = list(CELLS)
    done = [
        SimpleNamespace(level=n, cells=CELLS[n], steps=s, settled=settled, seconds=t)
        for n, (s, settled, t) in zip(names, finished)
    ]
    level = SimpleNamespace(name=name, steps=steps, seconds=seconds, flow=SimpleNamespace(n_own=CELLS[name]))
    return SimpleNamespace(finished=done, present=level, leaves_after=leaves_after, most_steps=150,
                           setup=SimpleNamespace(levels=names, cells=CELLS.get), time_march=None,
                           history=[{"level": name, "residual": r} for r in residuals],
                           sheet=SimpleNamespace(run=SimpleNamespace(residual=1e-6)), 
                           ahead_in_time=lambda: list(followed))


class Told(unittest.TestCase):
    def test_nothing_is_told_before_a_level_has_ended(self):
        self.assertIsNone(TimeLeft(climb([], "coarse", 5, 1.0)).seconds())

    def test_levels_that_settle_announce_such(self):
        # 20 steps of 1000 cells in 0.2 s: 10 µs; 16 and 17.6 steps follow, a quarter dearer.
        told = TimeLeft(climb([(20, True, 0.2)], "coarse", 20, 0.2)).seconds()
        self.assertAlmostEqual(told, 12.5e-6 * (4000 * 16 + 16000 * 17.6), places=6)
        # Half way up, its own steps are counted and its own cost.
        half = TimeLeft(climb([(20, True, 0.2)], "medium", 8, 8 * 4000 * 30e-6)).seconds()
        self.assertAlmostEqual(half, 30e-6 * (4000 * 8 + 16000 * 17.6), places=6)

    def test_levels_that_wander_announce_a_long_one(self):
        one = TimeLeft(climb([(60, False, 0.6)], "coarse", 60, 0.6)).seconds()
        calm = TimeLeft(climb([(25, False, 0.25)], "coarse", 25, 0.25)).seconds()
        self.assertGreater(one, 4 * calm)
        two = TimeLeft(climb([(60, False, 0.6), (60, False, 2.4)], "medium", 60, 2.4)).seconds()
        self.assertAlmostEqual(two, 12.5e-6 * 16000 * 150, places=6)

    def test_a_residual_that_falls_says_when_it_will_have_fallen(self):
        # A power of ten every two steps, three to go.
        falling = [10.0**(-0.5 * k) for k in range(-5, 7)]
        told = TimeLeft(climb([(20, True, 0.2), (16, True, 0.64)], "fine", 15, 15 * 16000 * 10e-6,
                              residuals=falling)).seconds()
        self.assertLess(told, 16000 * 10e-6 * 6.5)

    def test_what_is_followed_in_time_is_counted(self):
        plain = climb([(20, True, 0.2)], "coarse", 20, 0.2)
        with_time = climb([(20, True, 0.2)], "coarse", 20, 0.2, followed=[(16000, 100, 3)])
        self.assertAlmostEqual(TimeLeft(with_time).seconds() - TimeLeft(plain).seconds(),
                               12.5e-6 * 16000 * 100 * 3, places=6)


class OfARun(unittest.TestCase):
    def test_a_run_is_told_its_time(self):
        run = execute(sheet(QUICK))
        told, left = [], TimeLeft(run)
        for _ in run:
            told.append(left.seconds())
        self.assertIsNone(told[0])
        known = [t for t in told if t is not None]
        self.assertGreater(known[0], 0)
        self.assertLess(known[-1], known[0])


if __name__ == "__main__":
    unittest.main()
