"""From the sheet's rows of what moves to the laws by which everything moves, and the time they repeat
after."""
from dataclasses import dataclass

import numpy as np

from ....flow.motion import (EdgeGust, Motion, Ramp, Still, Swing, Tabled, Turning, WaveGust)
from ....sheet.movement import GUSTS, TURNING

# Periods this much alike are one.
ALIKE = 1e-6
# Steps for a cycle of swinging and of turning, for a ramp, and how long a step is where nothing else says so.
SWING_STEPS, TURN_STEPS, RAMP_STEPS, PLAIN_STEP = 72, 180, 60, 0.05
# Share of the first turn within which a wheel reaches its speed.
SPIN_UP = 0.25


@dataclass(frozen=True)
class Moving:
    """What moves in a run.

    Attributes
    ----------
    motion : Motion
    rows : tuple of sheet Movement
    period : float or None
        Chords after which everything repeats; None for what happens once.
    step : float
        Chords of a time step that follows it well.
    name : str
        What the loops are drawn over: "angle" in degrees, "height" in chords, "gust" over the stream's speed,
        or "azimuth" in degrees.
    wheel : tuple or None
        (radius in chords, angular speed over U / chord) of what turns at constant speed.
    sign : float
        -1 for an arrangement that is upside down, whose angles count nose down.
    """

    motion: Motion
    rows: tuple
    period: float | None
    step: float
    name: str
    wheel: tuple | None = None
    sign: float = 1.0

    @property
    def turns(self):
        """Whether anything turns about the pivot."""
        return not isinstance(self.motion.pitch, Still)

    @property
    def lasts(self):
        """Chords within which everything has been everywhere it goes."""
        ends = [
            row.end if row.does == "ramp" else row.points[-1][0] for row in self.rows
            if row.does in ("ramp", "table")
        ]
        if self.period or ends:
            return max([self.period or 0.0, *ends])
        swings = [
            np.pi / row.reduced for row in self.rows
            if row.does in ("pitch", "heave") and row.given == "reduced"
        ]
        return max(swings, default=1.0)

    def steps_of_cycle(self, run):
        """Steps for one cycle, by the sheet's run section."""
        if run.time_step:
            return max(int(round(self.period / run.time_step)), 8)
        return run.cycle_steps or int(round(self.period / self.step))

    def fastest(self, points):
        """Largest speed of points against the air over that of the stream, about; shape (n, 2) in chords."""
        if not self.wheel:
            return 1.0
        return 1.0 + abs(self.wheel[1]) * float(np.hypot(*(np.asarray(points) - self.motion.pivot).T).max())

    def goes_tail_first(self, outline):
        """Whether the wheel carries an outline's trailing edge ahead of its nose."""
        if not self.wheel:
            return False
        nose, tail = outline.place(np.array([[0.0, 0.0], [1.0, 0.0]]))
        away = 0.5 * (nose + tail) - self.motion.pivot
        turn = self.sign * self.wheel[1]
        return float(turn * np.array([away[1], -away[0]]) @ (tail - nose)) > 0

    def expected_steps(self, run, step):
        """Steps in time that a run will make on its finest level, about."""
        return 4 * self.steps_of_cycle(run) if self.period else run.duration / step

    def reading(self, time, mach):
        """Where everything stands at a time in the solver's scale: channels of a step."""
        m = self.motion
        out = {}
        if not isinstance(m.pitch, Still):
            out["angle"] = self.sign * float(np.degrees(m.pitch.value(time)))
        if not isinstance(m.heave, Still):
            out["height"] = float(m.heave.value(time))
        if m.gust:
            way = m.front + mach * time - 0.5
            out["gust"] = float(m.gust.velocity(way) / mach)
        return out

    def work(self, loads, axes, moment_point):
        """Torque and power coefficients of what turns: on q and twice the radius, times the radius or the
        speed; power is positive where it is taken out of the air.

        Parameters
        ----------
        loads : dict
            ``lift, drag, moment``, the moment nose up about `moment_point`.
        axes : tuple of arrays
            Unit vectors along and across the stream.
        """
        if not self.wheel:
            return {}
        force = loads["drag"] * axes[0] + loads["lift"] * axes[1]
        away = np.asarray(moment_point) - self.motion.pivot
        torque = loads["moment"] + away[1] * force[0] - away[0] * force[1]
        radius, turn = self.wheel
        return {
            "wheel_torque": float(self.sign * torque * np.sign(turn) / (2 * radius**2)), "wheel_power":
            float(self.sign * torque * turn / (2 * radius))
        }


def words_of(row):
    """One movement in a few words, given as a model or as a dict of its fields."""
    get = row.get if isinstance(row, dict) else lambda name: getattr(row, name)
    frequency = f"k {get('reduced'):g}" if get("given") == "reduced" else f"{get('hertz'):g} Hz"
    ahead = f", ahead {get('phase'):g}°" if get("phase") else ""
    speed = (f"ωR/U {get('tip_speed_ratio'):g}"
             if get("speed_as") == "ratio" else f"{get('revolutions'):g} rpm")
    return {
        "pitch": f"pitching ±{abs(get('angle')):g}°, {frequency}{ahead}", "heave":
        f"heaving ±{abs(get('travel')):g} c, {frequency}{ahead}", "ramp":
        f"pitching up by {get('angle'):g}° within {get('end') - get('begin'):g} c", "turn":
        f"turning, {speed}", "table": "pitching by a table", "wave":
        f"gust ±{abs(get('gust')):g} U every {get('length'):g} c", "edge": f"sharp gust {get('gust'):g} U"
    }[get("does")]


def channels_of(rows):
    """Names of the channels that tell where everything stands."""
    kinds = {row.does for row in rows}
    return ([
        name
        for name, does in (("angle", TURNING), ("height", ("heave", )), ("gust", GUSTS)) if kinds & set(does)
    ] + (["wheel_torque", "wheel_power"] if "turn" in kinds else []))


def moving_of(sheet, air):
    """The `Moving` of a section's sheet, or None where nothing moves; raises ValueError with the field and
    the mend.

    Parameters
    ----------
    sheet : Sheet
    air : AirState
    """
    rows = tuple(sheet.air.motions)
    if not rows:
        return None
    _check(sheet, rows)
    # A gust that blows up meets an upright section as one that blows down meets an inverted one.
    up = -1.0 if sheet.shape.attitude == "inverted" else 1.0
    mach, parts, periods, steps, wheel = air.mach, {"pitch": Still(), "heave": Still()}, [], [], None
    for row in rows:
        if row.does in ("pitch", "heave"):
            turn = 2 * row.reduced
            if row.given == "hertz":
                turn = 2 * np.pi * row.hertz * air.chord / air.speed
            size = up * np.radians(row.angle) if row.does == "pitch" else row.travel
            parts[row.does] = Swing(size, turn * mach, np.radians(row.phase))
            periods.append(2 * np.pi / turn)
            steps.append(periods[-1] / SWING_STEPS)
        elif row.does == "turn":
            turn = (row.tip_speed_ratio / row.radius if row.speed_as == "ratio" else row.revolutions * 2 *
                    np.pi / 60 * air.chord / air.speed)
            periods.append(2 * np.pi / abs(turn))
            parts["pitch"] = Turning(up * turn * mach, up * np.radians(row.start),
                                     SPIN_UP * periods[-1] / mach)
            wheel = (row.radius, turn)
            steps.append(periods[-1] / TURN_STEPS)
        elif row.does == "ramp":
            parts["pitch"] = Ramp(up * np.radians(row.angle), row.begin / mach, row.end / mach)
            steps.append((row.end - row.begin) / RAMP_STEPS)
        elif row.does == "table":
            times, angles = np.array(row.points).T
            repeats = row.repeats == "yes"
            parts["pitch"] = Tabled(times / mach, up * np.radians(angles), repeats)
            if repeats:
                periods.append(times[-1] - times[0])
            steps.append(min(np.diff(times).min() / 4, (times[-1] - times[0]) / SWING_STEPS))
        else:
            wave = row.does == "wave"
            parts["gust"] = WaveGust(row.gust * mach, row.length) if wave else EdgeGust(row.gust * mach)
            parts["front"] = row.front
            if wave:
                periods.append(row.length)
                steps.append(row.length / SWING_STEPS)
        if row.does in TURNING:
            parts["pivot"] = (row.pivot_x, up * row.pivot_y)
    once = any(row.does in ("ramp", "edge") or row.does == "table" and row.repeats == "no" for row in rows)
    same = periods and not once and np.ptp(periods) <= ALIKE * max(periods)
    kinds = {row.does for row in rows}
    name = ("azimuth" if "turn" in kinds else "angle" if kinds
            & set(TURNING) else "height" if "heave" in kinds else "gust")
    return Moving(Motion(**parts), rows,
                  float(periods[0]) if same else None, float(min(steps, default=PLAIN_STEP)), name, wheel, up)


def _check(sheet, rows):
    if sheet.domain.kind != "far field":
        raise ValueError(
            f"air.motions: everything moves, the grid with it, and domain.kind = {sheet.domain.kind} holds "
            "something that stands still. Take the far field all round, or take the motions out")
    for words, kinds in (("turns about a pivot", TURNING), ("heaves", ("heave", )), ("is a gust", GUSTS)):
        found = [row.does for row in rows if row.does in kinds]
        if len(found) > 1:
            raise ValueError(
                f"air.motions: {len(found)} rows of which each {words} ({', '.join(found)}): keep "
                "one of them")
