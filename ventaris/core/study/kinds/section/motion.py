"""From the sheet's rows of what moves to the laws by which everything moves, or the circles in it, and the
time they repeat after."""
from dataclasses import dataclass
from fractions import Fraction
from math import gcd, lcm

import numpy as np

from ....flow.motion import (EdgeGust, Motion, Ramp, Still, Swing, Tabled, Turning, WaveGust)
from ....flow.turning_zones import TurningZones
from ....grids.turning_zone import Circle, turning
from ....instruments.balance import torque
from ....instruments.casing_meter import FLOW, fan_efficiency
from ....sheet.movement import GUSTS, TURNING

# Periods this much alike are one.
ALIKE = 1e-6
# Steps for a cycle of swinging and of turning, for a ramp, and how long a step is where nothing else says so.
SWING_STEPS, TURN_STEPS, RAMP_STEPS, PLAIN_STEP = 72, 180, 60, 0.05
# Share of the first turn within which a wheel reaches its speed.
SPIN_UP = 0.25
# Circles of different speeds repeat together after so many of their turns at most.
MOST_TURNS = 12


@dataclass(frozen=True)
class MovingCircle:
    """A circle that moves in the rest.

    Attributes
    ----------
    circle : Circle
        As it stands in the domain.
    law : law
        Of its angle, radians nose up.
    row : sheet Movement
    wheel : tuple or None
        (radius in chords, angular speed over U / chord) of what turns at constant speed.
    """

    circle: Circle
    law: object
    row: object
    wheel: tuple | None = None


@dataclass(frozen=True)
class Moving:
    """What moves in a run.

    Attributes
    ----------
    motion : Motion or TurningZones
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
    circles : tuple of MovingCircle
        What moves where not everything does.
    """

    motion: object
    rows: tuple
    period: float | None
    step: float
    name: str
    wheel: tuple | None = None
    sign: float = 1.0
    circles: tuple = ()

    @property
    def turns(self):
        """Whether everything turns about the pivot."""
        return not self.circles and not isinstance(self.motion.pitch, Still)

    @property
    def wheels(self):
        """(number of the circle or None, centre, radius, angular speed) of all that turns at constant
        speed."""
        if self.wheel:
            return [(None, np.asarray(self.motion.pivot), *self.wheel)]
        return [(k, c.circle.centre, *c.wheel) for k, c in enumerate(self.circles) if c.wheel]

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
        speeds, points = [0.0], np.asarray(points)
        for number, centre, _, turn in self.wheels:
            own = points if number is None else points[self.circles[number].circle.holds(points)]
            speeds.append(abs(turn) * float(np.hypot(*(own - centre).T).max(initial=0.0)))
        return 1.0 + max(speeds)

    def tones(self, setup):
        """What a wheel that turns alone says of its tones: turns per second as `hertz`, and its `blades`."""
        if len(self.wheels) != 1:
            return {}
        return {"hertz": setup.air.speed / (self.period * setup.chord), "blades": setup.sheet.shape.blades}

    def degrees_of_step(self, steps):
        """Degrees by which the fastest wheel turns in a step, of so many for a cycle; 0 without a wheel."""
        turns = [abs(turn) for *_, turn in self.wheels]
        return float(np.degrees(max(turns, default=0.0) * (self.period or 0.0) / steps))

    def goes_tail_first(self, outline):
        """Whether a wheel carries an outline's trailing edge ahead of its nose."""
        nose, tail = outline.place(np.array([[0.0, 0.0], [1.0, 0.0]]))
        middle = 0.5 * (nose + tail)
        for number, centre, _, turn in self.wheels:
            away = middle - centre
            round_it = np.hypot(*away) > 0.5 * np.hypot(*(tail - nose))
            if round_it and (number is None or self.circles[number].circle.holds(middle[None])[0]):
                return float(self.sign * turn * np.array([away[1], -away[0]]) @ (tail - nose)) > 0
        return False

    def expected_steps(self, run, step):
        """Steps in time that a run will make on its finest level, about."""
        return 4 * self.steps_of_cycle(run) if self.period else run.duration / step

    def reading(self, time, mach):
        """Where everything stands at a time in the solver's scale: channels of a step."""
        if self.circles:
            return {
                channel: self.sign * float(np.degrees(c.law.value(time)))
                for channel, c in zip(numbered("angle", len(self.circles)), self.circles)
            }
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

    def work(self, flow, read=None):
        """Torque and power coefficients of what turns: on q and twice the radius, times the radius or the
        speed; power is positive where it is taken out of the air; with what a casing's meter has `read`
        a fan's efficiency. From the discretisation's last residual."""
        out, wheels = {}, self.wheels
        names = zip(numbered("wheel_torque", len(wheels)), numbered("wheel_power", len(wheels)), wheels)
        for torque_name, power_name, (number, centre, radius, turn) in names:
            own = None if number is None else flow.mesh.zones[number].faces
            found = self.sign * torque(flow, centre, own)
            out[torque_name] = float(found * np.sign(turn) / (2 * radius**2))
            out[power_name] = float(found * turn / (2 * radius))
        if wheels and FLOW in (read or {}):
            taken = sum(2 * radius * out[name] for name, (_, _, radius, _) in zip(
                numbered("wheel_power", len(wheels)), wheels))
            out["fan_efficiency"] = fan_efficiency(read, -taken)
        return out


def numbered(name, count):
    """A channel's name for each of some circles: the first has no number."""
    return [name if k == 0 else f"{name}_{k + 1}" for k in range(count)]


def words_of(row):
    """One movement in a few words, given as a model or as a dict of its fields."""
    get = row.get if isinstance(row, dict) else lambda name: getattr(row, name)
    frequency = f"k {get('reduced'):g}" if get("given") == "reduced" else f"{get('hertz'):g} Hz"
    ahead = f", ahead {get('phase'):g}°" if get("phase") else ""
    speed = (f"ωR/U {get('tip_speed_ratio'):g}"
             if get("speed_as") == "ratio" else f"{get('revolutions'):g} rpm")
    inside = f"a circle of {get('edge'):g} c " if get("whole") == "circle" and get("does") in TURNING else ""
    return inside + {
        "pitch": f"pitching ±{abs(get('angle')):g}°, {frequency}{ahead}", "heave":
        f"heaving ±{abs(get('travel')):g} c, {frequency}{ahead}", "ramp":
        f"pitching up by {get('angle'):g}° within {get('end') - get('begin'):g} c", "turn":
        f"turning, {speed}", "table": "pitching by a table", "wave":
        f"gust ±{abs(get('gust')):g} U every {get('length'):g} c", "edge": f"sharp gust {get('gust'):g} U"
    }[get("does")]


def channels_of(rows):
    """Names of the channels that tell where everything stands."""
    kinds, wheels = {row.does for row in rows}, sum(row.does == "turn" for row in rows)
    circles = max(sum(row.in_circle for row in rows), 1)
    return ([
        name for known, does in ((numbered("angle", circles), TURNING), (["height"], ("heave", )),
                                 (["gust"], GUSTS)) if kinds & set(does) for name in known
    ] + numbered("wheel_torque", wheels) + numbered("wheel_power", wheels))


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
    name = _drawn_over({row.does for row in rows})
    once = any(row.does in ("ramp", "edge") or row.does == "table" and row.repeats == "no" for row in rows)
    laws = [_law_of(row, air, up) for row in rows]
    periods = [law.period for law in laws if law.period]
    step = float(min((law.step for law in laws if law.step), default=PLAIN_STEP))
    if rows[0].in_circle:
        circles = tuple(MovingCircle(_circle_of(sheet, row, up), law.law, row, law.wheel)
                        for row, law in zip(rows, laws))
        _check_apart(circles)
        period = None if once else _together(periods)
        zones = TurningZones(tuple(c.law for c in circles))
        return Moving(zones, rows, period, step, name, None, up, circles)
    parts = {"pitch": Still(), "heave": Still()}
    for row, law in zip(rows, laws):
        if row.does in GUSTS:
            parts |= {"gust": law.law, "front": row.front}
        else:
            parts["heave" if row.does == "heave" else "pitch"] = law.law
        if row.does in TURNING:
            parts["pivot"] = (row.pivot_x, up * row.pivot_y)
    same = periods and not once and np.ptp(periods) <= ALIKE * max(periods)
    wheel = next((law.wheel for law in laws if law.wheel), None)
    return Moving(Motion(**parts), rows, float(periods[0]) if same else None, step, name, wheel, up)


def _drawn_over(kinds):
    """What loops are drawn over, by what the rows do."""
    return ("azimuth" if "turn" in kinds else "angle" if kinds & set(TURNING) else
            "height" if "heave" in kinds else "gust")


@dataclass(frozen=True)
class _Law:
    """A row's law in the solver's scales, and in chords a step that follows it (None where any does) and the
    time it repeats after."""

    law: object
    step: float | None = None
    period: float | None = None
    wheel: tuple | None = None


def sine_period(row, air):
    """Chords after which a row's sine repeats, given as a reduced frequency or in Hz."""
    return air.speed / (row.hertz * air.chord) if row.given == "hertz" else np.pi / row.reduced


def table_step(points):
    """Chords of a time step that follows a table against time well."""
    times = [time for time, _ in points]
    return min(float(np.diff(times).min()) / 4, (times[-1] - times[0]) / SWING_STEPS)


def _law_of(row, air, up):
    mach = air.mach
    if row.does in ("pitch", "heave"):
        size = up * np.radians(row.angle) if row.does == "pitch" else row.travel
        period = sine_period(row, air)
        law = Swing(size, 2 * np.pi / period * mach, np.radians(row.phase))
        return _Law(law, period / SWING_STEPS, period)
    if row.does == "turn":
        turn = (row.tip_speed_ratio / row.radius
                if row.speed_as == "ratio" else row.revolutions * 2 * np.pi / 60 * air.chord / air.speed)
        period = 2 * np.pi / abs(turn)
        law = Turning(up * turn * mach, up * np.radians(row.start), SPIN_UP * period / mach)
        return _Law(law, period / TURN_STEPS, period, (row.radius, turn))
    if row.does == "ramp":
        law = Ramp(up * np.radians(row.angle), row.begin / mach, row.end / mach)
        return _Law(law, (row.end - row.begin) / RAMP_STEPS)
    if row.does == "table":
        times, angles = np.array(row.points).T
        repeats, lasts = row.repeats == "yes", float(times[-1] - times[0])
        law = Tabled(times / mach, up * np.radians(angles), repeats)
        return _Law(law, table_step(row.points), lasts if repeats else None)
    if row.does == "wave":
        return _Law(WaveGust(row.gust * mach, row.length), row.length / SWING_STEPS, row.length)
    return _Law(EdgeGust(row.gust * mach))


def _circle_of(sheet, row, up):
    """Where a row's circle stands: beside a ground or walls the arrangement is turned by the incidence, and
    the circle with it."""
    x, y = row.pivot_x, row.pivot_y
    if sheet.domain.kind != "far field":
        x, y = turning(-np.radians(sheet.air.incidence)) @ [x, y]
    return Circle(float(x), float(up * y), float(row.edge))


def _together(periods):
    """The time after which all circles stand as they did, or None where that is too long."""
    shares = [Fraction(p / periods[0]).limit_denominator(MOST_TURNS) for p in periods]
    if any(abs(float(f) * periods[0] - p) > ALIKE * p for f, p in zip(shares, periods)):
        return None
    # The least common multiple of fractions in lowest terms.
    whole = periods[0] * lcm(*(f.numerator for f in shares)) / gcd(*(f.denominator for f in shares))
    return whole if whole <= MOST_TURNS * max(periods) else None


def _check_apart(circles):
    for k, one in enumerate(circles):
        for other in circles[:k]:
            gap = np.hypot(*(one.circle.centre - other.circle.centre))
            if gap <= one.circle.radius + other.circle.radius:
                raise ValueError(
                    f"air.motions: the circles at x = {other.circle.x:g} and x = {one.circle.x:g} overlap: "
                    f"their middles are {gap:.3g} chords apart and their radii add up to "
                    f"{one.circle.radius + other.circle.radius:.3g}. Make them smaller (edge)")


def check_circles(moving, outlines, plan):
    """Refuse circles that cut walls, or hold nothing.

    Parameters
    ----------
    moving : Moving
    outlines : list of Outline
    plan : HybridGridPlan
    """
    for c in moving.circles:
        circle, held = c.circle, False
        for outline in outlines:
            reach = circle.reach(outline.polygon(400))
            inside = reach < circle.radius
            held |= inside.all()
            if inside.any() and not inside.all():
                raise ValueError(
                    f"air.motions: the circle of radius {circle.radius:g} round x = {c.row.pivot_x:g}, "
                    f"y = {c.row.pivot_y:g} cuts “{outline.name or 'the section'}”, which reaches from "
                    f"{reach.min():.3g} to {reach.max():.3g} chords from its middle. What turns must lie "
                    "inside it, everything else outside: change the radius (edge) or the pivot")
        if not held:
            raise ValueError(
                f"air.motions: nothing is inside the circle of radius {circle.radius:g} round "
                f"x = {c.row.pivot_x:g}, y = {c.row.pivot_y:g} chords. Move its pivot, or make it larger")
        low, high = circle.y - circle.radius, circle.y + circle.radius
        left, right = circle.x - circle.radius, circle.x + circle.radius
        walls = {"the ground": plan.ground is not None and low <= plan.ground}
        if plan.casing:
            walls["the casing"] = float(circle.gap(plan.casing.dense()).min()) <= 0
        elif plan.channel:
            floor, ceiling, inlet, outlet = plan.channel
            walls |= {"a channel wall": low <= floor or high >= ceiling,
                      "the channel's end": left <= inlet or right >= outlet}
        else:
            walls["the far field"] = max(np.abs([left, right, low, high])) > 0.8 * plan.far_field
        for what, cut in walls.items():
            if cut:
                raise ValueError(
                    f"air.motions: the circle of radius {circle.radius:g} round x = {circle.x:.4g}, "
                    f"y = {circle.y:.4g} chords reaches {what}. Make it smaller (edge), or move the walls of "
                    "the domain")


def _check(sheet, rows):
    circles = [row for row in rows if row.in_circle]
    if circles:
        _check_rows_of_circles(sheet, rows, circles)
        return
    if sheet.domain.kind != "far field":
        raise ValueError(
            f"air.motions: everything moves, the grid with it, and domain.kind = {sheet.domain.kind} holds "
            "something that stands still. Take the far field all round, move what is inside a circle instead "
            "(whole), or take the motions out")
    for words, kinds in (("turns about a pivot", TURNING), ("heaves", ("heave", )), ("is a gust", GUSTS)):
        found = [row.does for row in rows if row.does in kinds]
        if len(found) > 1:
            raise ValueError(
                f"air.motions: {len(found)} rows of which each {words} ({', '.join(found)}): keep "
                "one of them")


def _check_rows_of_circles(sheet, rows, circles):
    others = [row for row in rows if not row.in_circle]
    if others:
        raise ValueError(
            "air.motions: beside a circle that moves in the rest, nothing else may move "
            f"({words_of(others[0])} does). Keep the one or the other")
    if sheet.domain.kind in ("half", "round"):
        raise ValueError(
            f"air.motions: domain.kind = {sheet.domain.kind} computes one half, in which no circle can turn. "
            "Take the far field all round, a ground or a channel")
    if sheet.flow.model == "turbulent" and sheet.flow.trip is not None:
        raise ValueError(
            f"flow.trip = {sheet.flow.trip:g}: beside a circle that moves there is no one station at which "
            "boundary layers become turbulent. Leave it empty")
