"""What every run has in common: levels climbed one by one, a second try, checkpoints, formula channels."""
import time
from dataclasses import replace

import numpy as np

from ..flow.march.steady import FlowDiverged, SteadyMarch
from ..memory import give_back
from ..sheet import write_toml
from .channels import Channels, FormulaError
from .progress import Checkpoint, LevelResult, MarchedLevel, Progress, RunFailed
from .trend import RATIO, half_ranges, hold_unrest, level_trends

# Courant number below which steps hardly move the flow: that nothing changes over such steps says nothing.
LEAST_COURANT = 2.0
# Residual over the impulsive start's beyond which a level is lost, at its end or over so many steps, and
# beyond which its forces are looked at.
RUINED, RUINED_OVER, UNFORMED = 100.0, 20, 1.0
# A level whose forces still moved by more when the next one took over says little about the grid.
AT_REST = 5e-3
# Steps that a settled level goes on for when it is run further.
FURTHER_STEPS = 50


class Climb:
    """One run, as an iterator of `Progress` that can be left and resumed at any step.

    Parameters
    ----------
    sheet : a run sheet
    setup : what `prepare` makes of it
    names : list of str
        Channels that the run records by itself.
    resume : Checkpoint or None
    extra_steps : int
        Steps granted beyond the sheet's limit on every level (running a stopped run further).

    Attributes
    ----------
    result : dict or None
        Set when the run has ended; see `docs/formats.md`.
    """

    recorder = time_march = None
    # What is said of a run in one line while it goes on, and in a table at its end: channel, label, unit,
    # decimals.
    headlines = (("lift", "CL", "", 5), ("drag", "CD", "", 5))
    reported = (("lift", "lift", "", 6), ("drag", "drag", "", 6), ("moment", "moment", "", 6))
    # Steps after which a level that has not settled is left for the next.
    leaves_after = np.inf
    # Formula channels that may be asked to stand still are watched over so many steps.
    steady_over = 3
    # Values that stand still over so many steps settle a level although its residual has stalled.
    stalled_over = 30

    def __init__(self, sheet, setup, names, resume=None, extra_steps=0):
        self.sheet, self.setup, self.extra_steps = sheet, setup, extra_steps
        if resume:
            # A level that is run further is not finished.
            resume.finished = [done for done in resume.finished if done["level"] != resume.level]
        try:
            self.channels = Channels(sheet.instruments.formulas, names)
        except FormulaError as error:
            raise RunFailed(str(error)) from None
        self.criteria = {f.name: f.steady_within for f in sheet.instruments.formulas if f.steady_within}
        self.history, self.finished, self.result = [], [], None
        self._level, self._resume = None, resume
        self._before = resume.seconds if resume else 0.0

    def headline_words(self, channels):
        """The headline numbers of a step in one line; what the run does not record is left out."""
        return "  ".join(f"{label} {channels[name]:.{decimals}f}{unit and ' ' + unit}"
                         for name, label, unit, decimals in self.headlines
                         if isinstance(channels.get(name), float))

    def report_rows(self):
        """(label, value, unit, decimals, trend) of every reported number that the result has."""
        found, trends = self.result["coefficients"], self.result["trends"]
        return [(label, found[name], unit, decimals, trends.get(name) or {"error": None, "words": ""})
                for name, label, unit, decimals in self.reported if isinstance(found.get(name), float)]

    @property
    def present(self):
        """The level being marched (`MarchedLevel`), or None."""
        return self._level

    @property
    def most_steps(self):
        """Steps after which the present level ends, settled or not."""
        return self._most_steps()

    def ahead_in_time(self):
        """What is still to be followed in time: list of (cells, steps, cost of one over a steady step's),
        level by level."""
        return []

    def _start_clock(self):
        started = time.monotonic()
        self._clock = lambda: self._before + time.monotonic() - started

    def _climb_level(self, name, mesh, previous):
        """March one level; a second try with smaller steps follows a first that diverged."""
        retried = False
        while True:
            try:
                self._level = self._open(name, mesh, previous, retried)
                give_back()
                yield from self._march(retried)
                return
            except FlowDiverged as error:
                if retried:
                    raise RunFailed(f"The {name} grid: {error}") from None
                retried, self._resume = True, None
                previous = self._trusted(previous)

    def _resumed(self, name, flow, controls):
        """The level as the checkpoint left it, or None where it must be begun; a checkpoint is used once."""
        resume, self._resume = self._resume, None
        if not resume:
            return None
        self.history, self.finished = list(resume.history), [LevelResult(**done) for done in resume.finished]
        if resume.level != name or len(resume.state) != flow.n_own:
            return None
        march = SteadyMarch(flow, resume.state.copy(),
                            replace(controls, first_order_steps=resume.march["first_order_left"]))
        march.courant = resume.march["courant"]
        return MarchedLevel(name, flow, march, resume.march["steps"], list(resume.march["recent"]),
                            resume.march["seconds"])

    def _march(self, careful):
        """March the present level until it is over."""
        level = self._level
        message = f"{level.name} grid, {level.flow.n_own} cells" + (", started again with smaller steps"
                                                                     if careful else "")
        began, earlier, most, lost = time.monotonic(), level.seconds, self._most_steps(), 0
        # What had settled and is run further goes on all the same.
        least = level.steps + FURTHER_STEPS if self.extra_steps and level.recent and self._is_over() else 0
        while level.steps < most and (level.steps < least or not self._is_over()):
            report = level.march.advance()
            level.steps += 1
            level.seconds = earlier + time.monotonic() - began
            channels = self._read(
                {"step": len(self.history) + 1, "residual": report.residual, "courant": report.courant})
            self._remember(channels, report)
            message = message or report.note
            if report.clipped > 0.02 * level.flow.n_own and not message:
                message = f"{report.clipped} cells held back in this step"
            yield self._record(report.residual, report.courant, channels, message, self._share())
            message = ""
            lost = 0 if report.first_order or report.residual < RUINED else lost + 1
            if lost >= RUINED_OVER:
                raise level.march.diverged(
                    f"The residual has risen to {report.residual:.0f} times that of the start and stays "
                    "there."
                )
        if level.march.residual > RUINED:
            raise level.march.diverged(
                f"The residual has risen to {level.march.residual:.0f} times that of the start.")
        if level.march.residual > UNFORMED and level.recent and self._beyond_reason(level.recent[-1]):
            raise level.march.diverged(
                f"The forces have left all reason ({self.headline_words(level.recent[-1])}) and the residual "
                f"is {level.march.residual:.0f} times that of the start."
            )
        self._finish_level()

    def _beyond_reason(self, channels):
        """Whether the channels of a level that has not formed hold what no flow does."""
        return any(
            isinstance(channels.get(name), float) and not abs(channels[name]) < 1e6
            for name, *_ in self.headlines)

    def _most_steps(self):
        """Steps after which the present level ends, settled or not."""
        return self.sheet.run.steps + self.extra_steps

    def _longer(self):
        """Factor on the time to follow: every time that a run is run further adds half of it."""
        return 1.0 + 0.005 * self.extra_steps

    def _is_over(self):
        """Whether the present level has settled, or served as a start for the next."""
        return self._is_settled() or self._has_served()

    def _remember(self, channels, report):
        """Keep the channels of the level's latest steps."""
        level = self._level
        level.recent = (level.recent + [channels])[-self.stalled_over - 1:]

    def _trusted(self, previous):
        """What a second try may still start from."""
        return previous

    def _state(self):
        return self._level.march.state if self.time_march is None else self.time_march.state

    def _record(self, residual, courant, channels, message, share, more=None):
        """Append to the history; the `Progress` to hand out."""
        level = self._level
        entry = {
            "step": len(self.history) + 1, "level": level.name, "residual": residual, "courant": courant,
            **channels, **(more or {})
        }
        self.history.append(entry)
        return Progress(entry["step"], level.name, level.steps, residual, courant, channels, share, message)

    def _steps_move(self, over):
        """Whether the last steps were long enough for values that stand still over them to mean something."""
        return float(np.mean([h["courant"] for h in self.history[-over:]])) >= LEAST_COURANT

    def _criteria_met(self):
        """Whether the formula channels that must stand still do."""
        recent = self._level.recent[-self.steady_over - 1:]
        for name, within in self.criteria.items():
            values = [r[name] for r in recent]
            if len(recent) <= self.steady_over or None in values or np.ptp(values) > within * max(
                    abs(values[-1]), 1e-9):
                return False
        return True

    def _level_trends(self, spatial=False, ratio=RATIO):
        """({name: Trend}, {name: half range}) of the levels, and of the latest steps of a last level that has
        not settled; the bars hold both. See `grid_trend`."""
        trends = level_trends(self.finished, lambda f, name: f.settled or max(f.changes.values()) < AT_REST,
                              spatial, ratio)
        moved = {} if self.finished[-1].settled else half_ranges(self._level.recent)
        hold_unrest(trends, moved, f"The last {len(self._level.recent)} steps")
        return trends, moved

    def _undefined(self):
        """Formula channels without a value at the end."""
        return [name for name in self.channels.order if self.history and self.history[-1].get(name) is None]

    def _kept_time(self):
        """The part of a checkpoint that belongs to a run followed in time, or None."""
        return None

    def _kept_arrays(self):
        """Further arrays that a checkpoint needs."""
        return {}

    def checkpoint(self):
        """A `Checkpoint` of this moment; callable between any two steps."""
        level = self._level
        march = {
            "courant": level.march.courant, "steps": level.steps, "recent": level.recent,
            "seconds": level.seconds, "first_order_left": level.march.first_order_left
        }
        return Checkpoint(write_toml(self.sheet), level.name, level.march.state.copy(), march,
                          list(self.history), [vars(f) for f in self.finished], self._clock(),
                          self._kept_time(), self._kept_arrays())

    def kept_field(self):
        """What is kept to look at: (level, Mesh, state), or a `BodyField`."""
        level, flow, state = self.field()
        return level, flow.mesh, state

    def kept_readings(self, whole):
        """What is kept of readings along walls: a `TapRow`, {line: columns}, or None; `whole` at the end of
        the run."""

    def field(self):
        """The present state on its level: (level, discretisation, state)."""
        return self._level.name, self._level.flow, self._state()
