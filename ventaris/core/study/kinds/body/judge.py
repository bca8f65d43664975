"""What the program says of a finished run of a body."""
import math

from ...verdict import BODY_FLOORS, NEVER_SETTLED, Verdict, formula_warnings, unformed, wide_bars

# Fewer cells than this across the smaller side of the body, and its wake is hardly there.
FEW_CELLS = 24
# Levels that go to and fro within this share of the value are no cause for alarm.
TO_AND_FRO = 0.02


def judge_body(setup, last, trends, averages, stopped, resolution, undefined, notes=(), shared=()):
    """Write the verdict of a body's run.

    Parameters
    ----------
    setup : BodySetup
    last : LevelResult
        Of the finest level reached.
    trends : dict of dict
    averages : dict or None
        What the means were taken over, where the forces kept moving or were followed in time.
    stopped : bool
        By hand.
    resolution : float
        Cells on the body across its smaller side.
    undefined : sequence of str
        Formula channels without a value.
    notes : sequence of str
        What happened to the wall layers.
    shared : collection of str
        Numbers whose error bar is that of an error which like variants share.

    Returns
    -------
    Verdict
    """
    detached = bool(averages and averages["of"] == "time steps")
    stands = not stopped and (last.settled or detached)
    settled = stands and (detached or last.residual <= NEVER_SETTLED)
    words = _words(last, averages, stopped, detached, settled, stands)
    # Cubes as large as a wing's thickness have missed nearly half of its lift, and settled.
    lost_layers = setup.body.is_wing and not setup.is_layered and bool(notes)
    found, doubtful = wide_bars(trends, [floor for floor in BODY_FLOORS if floor[0] not in shared])
    return Verdict(settled, words,
                   [
                       *notes, *_warnings(setup, last, trends, averages, resolution, undefined, detached),
                       *found
                   ], settled and (doubtful or setup.layers_on_trial or lost_layers))


def _words(last, averages, stopped, detached, settled, stands):
    """How the finest level ended."""
    worst = max(last.changes.values(), default=0.0)
    swing = averages["deviations"].get("drag") if averages else None
    if stopped:
        return (
            f"Stopped by hand on the {last.level} grid: residual {last.residual:.0e} of the start. The "
            "numbers are those of that moment."
        )
    if detached:
        return (
            f"Followed in time on the {last.level} grid; means over the last {averages['steps']} time steps, "
            f"in which the drag moved by ± {swing or 0:.2g} (r.m.s.)."
        )
    if settled and averages:
        return (
            f"Settled on the {last.level} grid in its means: the wake keeps moving, so lift and drag are "
            f"means over the last {averages['steps']} steps, "
            f"in which the drag moved by ± {swing or 0:.2g} (r.m.s.); residual {last.residual:.0e} of the "
            "start.")
    if settled:
        return (
            f"Settled on the {last.level} grid: residual {last.residual:.0e} of the start, lift and drag "
            f"steady within {worst:.1g}."
        )
    if stands:
        return unformed(
            last.level, last.residual, f"the means of lift and drag over the last {averages['steps']} steps"
            if averages else "lift and drag")
    moving = f"lift and drag still change by {worst:.1g}" if math.isfinite(
        worst) else "after too few steps to say how much lift and drag still move"
    return (
        f"Not settled on the {last.level} grid: residual {last.residual:.0e} of the start, {moving}. "
        "Run it further, or read the values as provisional.")


def _warnings(setup, last, trends, averages, resolution, undefined, detached):
    yield from formula_warnings(undefined)
    if setup.layers_on_trial:
        yield (
            "Wall layers on this body are for trials: compare with a run on cubes alone (grid.layers) before "
            "you believe the drag.")
    sheet = setup.sheet
    if averages and not detached and last.residual < 1 and averages["deviations"].get(
            "drag", 0) > 0.05 * abs(last.coefficients["drag"]):
        yield (
            "The drag swings by more than 5 % of itself from step to step: the mean of such steps is only an "
            "estimate. Set the wake free (flow: detached eddies) to follow it in time.")
    if resolution < FEW_CELLS and not setup.is_layered:
        yield (
            f"Only {resolution:.0f} cells across the body's smaller side: too few for a trustworthy wake. "
            "Raise the cell budget or climb further."
        )
    streamlined = setup.body.is_wing and setup.is_layered and not setup.layers_on_trial
    if sheet.flow.model == "turbulent" and sheet.flow.wake == "mean" and not streamlined:
        yield (
            "Behind blunt bodies a mean-flow closure usually finds the wake too long and the base pressure "
            "too high or too low by some per cent; differences between variants are surer than the values.")
    if sheet.flow.model == "turbulent" and last.y_plus and last.y_plus["mean"] > 300:
        yield (
            f"The first cells stand at y+ {last.y_plus['mean']:.0f} on average, beyond the wall function's "
            "reach (300): friction is an estimate, and layers that "
            "separate from smooth surfaces do so where the grid lets them.")
    for name in ("drag", "lift"):
        trend = trends.get(name)
        values = trend["values"][-3:] if trend else ()
        if trend and trend["behaviour"] in (
                "oscillating", "diverging") and max(values) - min(values) > TO_AND_FRO * abs(values[-1]):
            yield f"{name.capitalize()}: {trend['words']}"
    yield from setup.body.condition.notes
