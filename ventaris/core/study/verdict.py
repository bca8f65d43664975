"""What the program says of a finished run: settled or not, warnings."""
from dataclasses import asdict, dataclass, field

from ..units import large

# A layer that separates this close to a shock, in chords, does so because of it.
FOOT_OF_SHOCK = 0.06
# Above this residual, over the impulsive start's, nothing is called settled.
NEVER_SETTLED = 1e-2
# An error bar beyond this share of its value is warned of, and beyond the second one makes the whole verdict
# doubtful.
WIDE, TOO_WIDE = 0.1, 0.2
# A step that turns by more, in degrees, misses what blades do to each other; fewer steps for a swing shift
# its phase.
MOST_DEGREES, LEAST_OF_SWING = 5.0, 30
# How steady means and swings must be between both halves of a record in time.
DRIFT, GROWTH = 0.01, 0.05


@dataclass
class Verdict:
    """Settled or not, in words, with warnings that a user should read before the number.

    `doubtful` says that it has settled, but that an error bar is so wide that the number says little.
    """

    settled: bool
    words: str
    warnings: list = field(default_factory=list)
    doubtful: bool = False

    def as_dict(self):
        return asdict(self)


def judge(setup, level, residual, changes, settled, shocks, separations, trends, stopped_by_user=False,
          y_plus=None, unsteady=None, swinging=(False, 0.0), undefined=(), momentum_gap=None, tail_speed=0.0,
          unrest=0.0):
    """Write the verdict of a run.

    Parameters
    ----------
    setup : Setup
    level : str
        Finest level reached.
    residual : float
    changes : dict
        Relative change of each coefficient over the last steps.
    settled : bool
    shocks, separations : lists from the tap row
    trends : dict of Trend
    stopped_by_user : bool
    unsteady : dict or None
        Statistics of a run followed in time.
    swinging : (bool, float)
        Whether the lift of a steady run swings as shedding makes it, and by how much.
    undefined : sequence of str
        Formula channels that had no value at the end.
    momentum_gap : float or None
        Share by which the drag from the surrounding air differs from that of the walls.
    tail_speed : float
        Speed over the stream's at which air runs upstream along the wall at a sharp trailing edge.
    unrest : float
        Half of what the drag of a level that has not settled went through in its latest steps.
    """
    worst, extra = max(changes.values(), default=0.0), []
    turned = tail_speed > TURNED_ROUND
    settled = settled and not turned
    stands, settled = settled, settled and residual <= NEVER_SETTLED
    if stopped_by_user:
        words = f"Stopped by hand on the {level} grid" + (
            ", which had settled" if settled else " before it settled") + (
                f": residual {residual:.0e} of the start. The numbers are those of that moment.")
    elif unsteady:
        found = warnings(setup, shocks, separations, {}, y_plus) + formula_warnings(undefined)
        if setup.moving:
            return _judge_motion(setup, level, unsteady, found, trends)
        return _judge_time(setup, level, unsteady, found)
    elif stands:
        words = _settled_words(setup, level, residual, worst) if settled else unformed(level, residual,
                                                                                      "lift and drag")
    else:
        words, extra = _unsettled_words(setup, level, residual, worst, unrest)
    extra += formula_warnings(undefined)
    if turned:
        words, extra = _turned_words(level, tail_speed), [*extra, TURNED_MEND]
    if momentum_gap is not None:
        words += f" Walls and surrounding air agree on the drag within {100 * abs(momentum_gap):.2g} %."
        if abs(momentum_gap) > 0.01 and settled:
            extra.append(MOMENTUM_LOST)
    if swinging[0] and not settled:
        extra.insert(0, _swinging_words(swinging[1]))
    found, doubtful = wide_bars({name: trend.as_dict() for name, trend in trends.items()}, SECTION_FLOORS)
    return Verdict(settled, words, extra + warnings(setup, shocks, separations, trends, y_plus) + found,
                   settled and doubtful)


def _settled_words(setup, level, residual, worst):
    """Of a steady level that has settled, by its residual or by its forces."""
    if residual > setup.sheet.run.residual:
        return (f"Settled on the {level} grid by its forces: lift, drag and moment stood still within "
                f"{worst:.1g} over thirty steps, while the residual stalled at "
                f"{residual:.0e} of the start, as a small limit cycle in wakes or corners makes it.")
    return (
        f"Settled on the {level} grid: residual {residual:.0e} of the start, lift and drag steady within "
        f"{worst:.1g}.")


def _unsettled_words(setup, level, residual, worst, unrest):
    """(words, what to know beside) of a steady level that has not settled."""
    if setup.is_round and setup.sheet.flow.model == "inviscid" and setup.stream.mach > 1.2:
        return (
            f"Not settled on the {level} grid, and it may never be: without friction the nearly empty air "
            f"behind a rounded or cut-off tail wanders on (residual {residual:.0e} of the start). The drag "
            f"went through ± {unrest:.2g} in the latest steps, which its error bar holds.",
            ["The pressures on the nose come to rest first. Take the turbulent model where the base counts."])
    return (
        f"Not settled on the {level} grid: residual {residual:.0e} of the start, lift and drag still "
        f"change by {worst:.1g}. Run it further, or read the values as provisional.", [])


def _turned_words(level, tail_speed):
    return (
        f"No answer: on the {level} grid the air turns round the sharp trailing edge and runs back "
        f"along the wall at {tail_speed:.1f} times the stream's speed. Grids whose first cells bridge "
        "the layer can hold such a flow; in nature it leaves the edge, and the lift is another.")


def _swinging_words(swing):
    return (
        f"The lift swings by ± {swing:.3g} about a mean from step to step: this flow sheds "
        "vortices or buffets and has no steady answer. "
        "Follow it in time: set Time to unsteady in the flow section.")


def unformed(level, residual, what):
    """The words for instruments that stand still while the flow itself has not come to rest."""
    return (f"Not settled on the {level} grid: {what} stand still, but the residual has stalled at "
            f"{residual:.0e} of the start, so the flow itself still moves from step to step. "
            "Read the values as provisional; a lower Courant number, smaller cells at shocks and edges, or "
            "following it in time may help.")


MOMENTUM_LOST = ("The momentum lost by the surrounding air differs from the force on the walls by more than "
                 "1 %: some of the flow has not come to rest. Run it further.")
TURNED_MEND = ("Leave the first height empty, so that the layer is resolved, or start with more first-order "
               "steps.")
# Speed over the stream's, upstream along the wall at a sharp trailing edge, beyond which the flow turns round
# it:
# in layers that have separated it is a third to a half.
TURNED_ROUND = 1.0
# Values below which a bar is not measured against them: (name, words, least, least over the drag).
SECTION_FLOORS = (("drag", "drag", 0.002, 0.0), ("lift", "lift", 0.05, 0.2), ("moment", "moment", 0.05, 0.0))
BODY_FLOORS = (("drag", "drag", 0.005, 0.0), ("lift", "lift", 0.02, 0.3))


def wide_bars(trends, floors):
    """Warnings of error bars that are wide against their values, and whether one is so wide that the number
    says little.

    Parameters
    ----------
    trends : dict of str to Trend as dict
    floors : see `SECTION_FLOORS`

    Returns
    -------
    list of str, bool
    """
    out, doubtful = [], False
    drag = abs(trends["drag"]["values"][-1]) if "drag" in trends else 0.0
    for name, words, least, of_drag in floors:
        trend = trends.get(name)
        if not trend or not trend["error"]:
            continue
        value = abs(trend["values"][-1])
        if value < max(least, of_drag * drag) and trend["error"] < WIDE * max(least, of_drag * drag):
            continue
        share = trend["error"] / max(value, least, of_drag * drag)
        if share > WIDE:
            out.append(
                f"The error bar of the {words} is {100 * trend['error'] / max(value, 1e-12):.0f} % of it: "
                "climb further or use more cells before comparing variants.")
        doubtful |= share > TOO_WIDE
    return out, doubtful


def formula_warnings(undefined):
    """A warning for every formula channel that had no value at the end."""
    return [
        f"The formula “{name}” has no value at the end: it divides by zero or takes a root or logarithm of a "
        "negative number." for name in undefined
    ]


def _judge_time(setup, level, unsteady, found):
    """Verdict of a run that was followed in time."""
    lift, drag = unsteady["channels"].get("lift"), unsteady["channels"].get("drag")
    span = (
        f"Followed for {unsteady['to']:.4g} chords on the {level} grid in steps of {unsteady['step']:.3g}; "
        f"means over the last {unsteady['to'] - unsteady['from']:.4g}")
    if not drag:
        return Verdict(False, f"{span}. Too short for statistics: follow it longer.", found)
    tone = next((s for s in (lift, drag) if s and s["frequency"]), None)
    share = drag["mean_error"] / max(abs(drag["mean"]), 1e-6)
    drifting = (drag.get("drift") or 0.0) > DRIFT * max(abs(drag["mean"]), 1e-6)
    growing = bool(tone) and (tone.get("growth") or 0.0) > GROWTH
    good = share < 0.02 and (tone is None or tone["periods"] >= 5) and not drifting and not growing
    if tone:
        span += (
            f": a tone at a Strouhal number of {tone['frequency']:.4f} ± {tone['frequency_error']:.4f} "
            "(frequency times chord over speed; "
            f"{tone['frequency'] * setup.air.speed / setup.chord:.4g} Hz), {tone['periods']:.1f} periods")
    else:
        span += ": no dominant frequency"
    if drifting or growing:
        apart = ([f"the swing by {100 * tone['growth']:.0f} % of itself"]
                 if growing else []) + ([f"the mean drag by {drag['drift']:.2g}"] if drifting else [])
        found.insert(
            0, f"Between both halves of the record {' and '.join(apart)} still differ: it holds some of the "
            "start-up. Follow it longer (run further, or raise the time to follow), or leave more of the "
            "start out.")
    if share >= 0.02 or tone and tone["periods"] < 5:
        found.insert(
            0, f"The mean drag is known to {100 * share:.1f} % only" +
            (f" and {tone['periods']:.1f} periods were seen" if tone else "") +
            ": follow it longer before comparing variants.")
    if tone and 1 / (tone["frequency"] * unsteady["step"]) < 20:
        found.insert(
            0, f"Only {1 / (tone['frequency'] * unsteady['step']):.0f} steps for one period: the swing is "
            f"damped by the time step. Take {1 / (50 * tone['frequency']):.2g} chords or less.")
    return Verdict(good, f"{span}.", found)


def _judge_motion(setup, level, unsteady, found, trends):
    """Verdict of a run in which everything moves."""
    cycle = unsteady.get("cycle")
    if cycle is None:
        if setup.moving.period:
            return Verdict(False, f"Not one whole cycle was followed on the {level} grid. Run it further.",
                           found)
        return Verdict(
            True, f"Followed for {unsteady['to']:.4g} chords on the {level} grid in steps of "
            f"{unsteady['step']:.3g}. What moves does so once: the curves over time are the answer, and the "
            "coefficients are means over all of it.", found)
    worst, count = max(cycle["changes"].values(), default=1.0), cycle["count"]
    words = (f"Followed for {count} cycle{'s' if count != 1 else ''} of {cycle['period']:.4g} chords on the "
             f"{level} grid, in {cycle['steps']} steps each")
    if cycle["alike"]:
        words += f": the last two are alike within {100 * worst:.2g} %."
    elif cycle["changes"]:
        words += f": the last two still differ by {100 * worst:.2g} %. Run it further."
    else:
        words += ": one cycle alone does not tell whether it repeats. Run it further."
    degrees = setup.moving.degrees_of_step(cycle["steps"])
    if degrees > MOST_DEGREES:
        found.insert(
            0, f"A step turns by {degrees:.1f}°: take {cycle['steps'] * degrees / MOST_DEGREES:.0f} steps "
            "per cycle or more.")
    elif cycle["steps"] < LEAST_OF_SWING:
        found.insert(0, f"Only {cycle['steps']} steps per cycle: phases are off by degrees. Take 48 or more.")
    wide, doubtful = wide_bars({name: trend.as_dict() for name, trend in trends.items()}, SECTION_FLOORS)
    return Verdict(cycle["alike"], words, found + wide, cycle["alike"] and doubtful)


def warnings(setup, shocks, separations, trends, y_plus=None):
    """Reasons to doubt the number although the run has settled."""
    out = []
    model = setup.sheet.flow.model
    strongest = max((s["mach_ahead"] for s in shocks), default=0.0)
    if model == "inviscid":
        out.append(
            f"Inviscid: there is no skin friction. At Reynolds number {large(setup.reynolds)} a real section "
            "has friction drag on top, and may separate.")
        if strongest > 1.3:
            out.append(
                f"The Mach number ahead of the shock is {strongest:.2f}. Above about 1.3 a real boundary "
                "layer separates under it: the shock will stand further forward and the drag will differ.")
    if model == "laminar":
        if setup.reynolds > 5e5:
            out.append(
                f"Laminar at Reynolds number {large(setup.reynolds)}: a real boundary layer would turn "
                "turbulent before the trailing edge.")
        if any(s["kind"] == "separation" and s["x"] < 0.5 for s in separations):
            out.append(
                "The flow separates ahead of mid-chord. Such flow is rarely steady; a steady answer is one "
                "of several.")
    if model == "turbulent":
        if y_plus and y_plus["mean"] > 1.5:
            treated = "a wall function bridges the rest, with friction known to some per cent" if y_plus[
                "mean"] > 5 else "friction is surest below about 1.5"
            out.append(
                f"The first cells stand at y+ {y_plus['mean']:.1f} on average, up to "
                f"{y_plus['largest']:.1f}: {treated}. Plan the wall layer in the grid section to resolve it.")
        at_a_shock = [
            s["x"] for s in separations if s["kind"] == "separation" and any(
                shock["surface"] == s["surface"] and abs(s["x"] - shock["x"]) < FOOT_OF_SHOCK
                for shock in shocks)
        ]
        if at_a_shock and setup.sheet.flow.closure != "sst-shock":
            out.append(
                f"The boundary layer separates at the foot of the shock, at x = {at_a_shock[0]:.2f} chords. "
                "Spalart-Allmaras and SST with its usual shear limit leave such a layer separated for too "
                "long and find too little lift: compute it with the closure “k-ω SST for shocks” too.")
        elif any(s["kind"] == "separation" and s["x"] < 0.7 for s in separations) and not at_a_shock:
            out.append(
                "The boundary layer separates well ahead of the trailing edge: near and beyond stall a "
                "steady answer with this closure usually overstates the lift.")
        if setup.reynolds < 2e5:
            out.append(
                f"Turbulent from the nose at Reynolds number {large(setup.reynolds)}: a real boundary layer "
                "would stay laminar over much of the chord.")
    for name in ("lift", "drag"):
        trend = trends.get(name)
        if trend and trend.behaviour in ("oscillating", "diverging"):
            out.append(f"{name.capitalize()}: {trend.words}")
    return out
