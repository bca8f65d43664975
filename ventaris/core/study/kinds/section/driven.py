"""From what walls do at an operating point to the laws by which they are driven in time."""
from dataclasses import replace

import numpy as np

from ....flow.driven_walls import DrivenWall, Steered
from ....flow.motion import Swing, Tabled
from ....instruments.balance import channel_name
from ....sheet.arrangement import Formula
from ...channels import Channels, FormulaError
from .motion import SWING_STEPS, sine_period, table_step

# Parts of a period by which one may miss being a whole number of times within another.
WHOLE = 1e-6


def driven_walls(sheet, air, surfaces_of):
    """The `DrivenWall`s of a section's sheet.

    Parameters
    ----------
    sheet : Sheet
    air : AirState
    surfaces_of : callable
        Names of the mesh's surfaces that a wall action's surface means.
    """
    out = []
    for action in sheet.air.walls:
        if not action.is_driven or action.action == "move" and sheet.flow.model == "inviscid":
            continue
        out.append(DrivenWall(action.surface, tuple(surfaces_of(action.surface)), action.action == "blow",
                              _law_of(action, air), action.formula if action.varies == "formula" else ""))
    return tuple(out)


def _law_of(action, air):
    sound, mach = air.speed_of_sound, air.mach
    level = action.speed / sound
    if action.varies == "sine":
        return Swing(action.swing / sound, 2 * np.pi / period_of(action, air) * mach,
                     np.radians(action.phase), level)
    if action.varies == "table":
        times, speeds = np.array(action.points).T
        return Tabled(times / mach, level + speeds / sound, action.repeats == "yes")
    # A unit of time is a chord over the speed of sound.
    return Steered(level, action.most / sound, action.rate / sound * air.chord / sound)


def period_of(action, air):
    """Chords after which a driven wall repeats, or None."""
    if action.varies == "sine":
        return sine_period(action, air)
    if action.varies == "table" and action.repeats == "yes":
        return action.points[-1][0] - action.points[0][0]
    return None


def step_of(sheet, air):
    """Chords of a time step that follows the driven walls well, or None without any."""
    steps = []
    for action in sheet.air.walls:
        if action.is_driven and action.varies == "table":
            steps.append(table_step(action.points))
        elif action.is_driven and action.varies == "sine":
            steps.append(period_of(action, air) / SWING_STEPS)
    return min(steps, default=None)


def fastest_driven(sheet):
    """Largest speed of a driven wall, m/s; of one that follows a formula what its actuator gives."""
    speeds = [0.0]
    for action in sheet.air.walls:
        if action.is_driven:
            more = {"sine": action.swing, "formula": action.most}.get(action.varies)
            more = abs(more) if more else max((abs(v) for _, v in action.points or ()), default=0.0)
            speeds.append(abs(action.speed) + more)
    return max(speeds)


def moving_with(moving, sheet, air):
    """What moves, in steps that follow the driven walls too, and told to repeat only where they repeat with
    it."""
    if not moving:
        return None
    moving = replace(moving, step=min(moving.step, step_of(sheet, air) or moving.step))
    if not moving.period:
        return moving
    for action in sheet.air.walls:
        if not action.is_driven or action.varies == "formula":
            continue
        own = period_of(action, air)
        if own is None or abs(moving.period / own - round(moving.period / own)) > WHOLE * moving.period / own:
            return replace(moving, period=None)
    return moving


def speed_channels(sheet):
    """Names of the channels that tell the speeds of driven walls, m/s."""
    return [channel_name(f"speed_{action.surface}") for action in sheet.air.walls if action.is_driven]


class Steering:
    """Reads the speeds of driven walls, and steers those that follow a formula.

    Parameters
    ----------
    walls : sequence of DrivenWall
    channels : sequence of str
        All that a run records, formulas too.
    air : AirState

    Raises
    ------
    FormulaError
    """
    def __init__(self, walls, channels, air):
        self.walls, self.air = walls, air
        self.steered = [wall for wall in walls if wall.formula]
        self.levels = [wall.law.level for wall in self.steered]
        self.formulas = []
        for wall in self.steered:
            try:
                self.formulas.append(Channels([Formula(name="wanted", expression=wall.formula)],
                                              [*channels, "time"]))
            except FormulaError as error:
                said = str(error).replace("instruments.formulas: “wanted", f"“{wall.formula[:40]}")
                raise FormulaError(f"air.walls: the formula of “{wall.name}”: {said}") from None

    def reading(self, time):
        """{channel: speed in m/s} at a time in the solver's scale."""
        return {channel_name(f"speed_{wall.name}"): float(wall.law.value(time) * self.air.speed_of_sound)
                for wall in self.walls}

    def steer(self, channels, time, step):
        """Let walls that follow a formula go on to what it says.

        Parameters
        ----------
        channels : dict
            As read at the end of a step.
        time, step : float
            In chords.
        """
        for wall, level, formula in zip(self.steered, self.levels, self.formulas):
            wanted = formula.compute({**channels, "time": time})["wanted"]
            if wanted is not None:
                wall.law.steer(level + wanted / self.air.speed_of_sound, step / self.air.mach)

    def kept(self):
        """Where the steered walls stand, for a checkpoint."""
        return [wall.law.level for wall in self.steered]

    def restore(self, levels):
        for wall, level in zip(self.steered, levels):
            wall.law.level = level
