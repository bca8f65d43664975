"""How long a climb still takes, from what its levels have taken."""
import math
import time

import numpy as np

# Steps of a level over those of the one before it: the first one also starts from nothing. Measured over the
# demo's runs: 0.55 to 0.95 and 0.9 to 1.3.
AFTER_FIRST, AFTER_OTHERS = 0.8, 1.1
# A level that wanders until it is left for the next announces a last one of so many times its steps.
AFTER_WANDERING, AFTER_ONE = 3.3, 2.2
# A level wanders that has not settled after this share of the steps at which it is left.
WANDERS_AT = 0.8
# A step per cell costs more on the next level; and more late on a level than early, when steps are small.
DEARER, LATE = 1.25, 5
# Beyond what was expected a level goes on for this share of its steps, about.
AND_ON, LEAST_ON = 0.3, 4
# Steps over which the fall of the residual is read, and what must have been seen of a level's pace.
SLOPE_OVER, LEAST_PACE = 12, 3


class TimeLeft:
    """What a climb still takes.

    Parameters
    ----------
    climb : Climb
    """
    def __init__(self, climb):
        self.climb = climb
        self._mark, self._looks = None, []

    def seconds(self):
        """Seconds that are left, or None before the first level has ended."""
        climb = self.climb
        level, finished = climb.present, climb.finished
        if level is None or not finished or finished[0].seconds <= 0:
            return None
        cost, at_hand = self._cost(level), level.flow.n_own
        followed = climb.ahead_in_time()
        left = 0.0
        if climb.time_march is None:
            if finished[-1].level != level.name:
                left = cost * at_hand * self._steps_left(level)
            left += self._levels_to_come(cost, level)
        else:
            pace = self._pace(len(climb.history))
            if pace is not None and followed:
                left, followed = pace * followed[0][1], followed[1:]
                # Whatever a step in time costs, it costs more on a finer grid.
                return left + sum(pace * cells / at_hand * steps for cells, steps, _ in followed)
        return left + sum(cost * cells * steps * over for cells, steps, over in followed)

    def _cost(self, level):
        """Seconds per cell and step of the steps that are left."""
        last = self.climb.finished[-1]
        before = last.seconds / max(last.steps, 1) / last.cells
        if level.name == last.level:
            return DEARER * before
        self._looks = [look for look in self._looks if look[0] == level.name][-200:]
        self._looks.append((level.name, level.steps, level.seconds))
        mean = level.seconds / max(level.steps, 1) / level.flow.n_own
        earlier = [look for look in self._looks if look[1] <= level.steps - LATE]
        if not earlier:
            return max(DEARER * before, mean)
        _, steps, seconds = earlier[-1]
        late = (level.seconds - seconds) / (level.steps - steps) / level.flow.n_own
        half = self._expected(self._before(), self.climb.setup.levels.index(level.name)) / 2
        return max(late, mean, DEARER * before if level.steps < half else 0.0)

    def _expected(self, before, number):
        """Steps of a level, from (steps, whether it wandered) of the one before; `number` counts from 0."""
        steps, wandered = before
        names = self.climb.setup.levels
        if wandered:
            if number < len(names) - 1:
                return steps
            all_along = sum(not f.settled for f in self.climb.finished) > 1
            return steps * (AFTER_WANDERING if all_along else AFTER_ONE)
        return steps * (AFTER_FIRST if number == 1 else AFTER_OTHERS)

    def _before(self):
        last = self.climb.finished[-1]
        return last.steps, not last.settled and last.steps >= WANDERS_AT * self.climb.leaves_after

    def _steps_left(self, level):
        """Steps that the present level still takes."""
        climb, done = self.climb, level.steps
        most, names = climb.most_steps, climb.setup.levels
        if level.name != names[-1]:
            most = min(most, climb.leaves_after)
        expected = self._expected(self._before(), names.index(level.name))
        left = expected - done if done < expected else max(AND_ON * done, LEAST_ON)
        if done >= 0.5 * expected:
            left = min(left, self._by_residual(level))
        return max(min(left, most - done), 0.0)

    def _by_residual(self, level):
        """Steps until the residual has fallen as far as it shall, should it go on as it does."""
        recent = [h["residual"] for h in self.climb.history[-SLOPE_OVER:] if h["level"] == level.name]
        if len(recent) < SLOPE_OVER:
            return math.inf
        logs = np.log(np.maximum(recent, 1e-300))
        slope = np.polyfit(np.arange(len(logs)), logs, 1)[0]
        if slope >= 0:
            return math.inf
        return max((logs[-1] - math.log(self.climb.sheet.run.residual)) / -slope, 0.0)

    def _levels_to_come(self, cost, level):
        """Seconds for the levels after the present one."""
        climb, names, seconds = self.climb, self.climb.setup.levels, 0.0
        before = self._before()
        here = names.index(level.name)
        if climb.finished[-1].level != level.name:
            expected = max(self._expected(before, here), level.steps)
            before = min(expected, climb.leaves_after), before[1] or level.steps >= climb.leaves_after
        for number in range(here + 1, len(names)):
            steps = min(self._expected(before, number), climb.most_steps)
            seconds += cost * climb.setup.cells(names[number]) * steps
            before = steps, before[1]
        return seconds

    def _pace(self, steps):
        """Seconds per step in time, from the first look on at the present level; None until some were
        seen."""
        now, name = time.monotonic(), self.climb.present.name
        if self._mark is None or self._mark[0] != name:
            self._mark = name, steps, now
        _, first, began = self._mark
        return (now - began) / (steps - first) if steps - first >= LEAST_PACE else None
