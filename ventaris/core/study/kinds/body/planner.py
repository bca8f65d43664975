"""The boundary layer on a body before its run, and the cells at the wall that it needs.

By the laws of a flat plate, as for sections: along the whole body, or along the chords of a wing in the
middle, at its breaks and at the tip.
"""
from dataclasses import dataclass

import numpy as np

from ...planned_stations import STATIONS, check_wanted, plan_station
from .ready import own_form

# What wall functions are made for.
Y_PLUS = 40.0


@dataclass(frozen=True)
class BodyLayerPlan:
    """What to expect along a body.

    Attributes
    ----------
    lines : tuple of (str, tuple of PlannedStation)
        Along the body, or at places of a wing: lengths in metres.
    first_height : float
        Metres: that of the most demanding station.
    size : float
        Metres: cubes on the body whose layers reach as far as the thickest layer.
    speed : float
        In m/s, what it was made for.
    """

    lines: tuple
    first_height: float
    size: float
    speed: float


def plan_body(setup, y_plus=Y_PLUS, stations=STATIONS):
    """Plan the wall layers of a body.

    Parameters
    ----------
    setup : BodySetup
    y_plus : float
        Wanted in the first cell's middle.
    stations : sequence of float
        Shares of the length, more than 0.

    Raises
    ------
    ValueError
        Naming what was given and what is accepted.
    """
    check_wanted(y_plus, stations, "lengths of the body, or chords of a wing,")
    growth, turbulent = setup.sheet.grid.layer_growth, setup.sheet.flow.model == "turbulent"
    per_metre = setup.air.reynolds(1.0)
    lines = tuple((words, tuple(plan_station(float(x) * length, per_metre, y_plus, turbulent, growth)
                                for x in sorted(stations))) for words, length in _lengths(setup))
    every = [station for _, own in lines for station in own]
    first, thickest = min(s.first_height for s in every), max(s.thickness for s in every)
    # The layers end at about the size of the cubes, after growing as far as the boundary layer reaches.
    last = first + (growth - 1) * thickest
    return BodyLayerPlan(lines, float(f"{first:.3g}"), float(f"{last:.2g}"), setup.air.speed)


def _lengths(setup):
    """(words, length in metres) of what layers run along."""
    form = own_form(setup.sheet)
    if form is None:
        return [("along the body", setup.body.mean_chord if setup.body.is_wing else setup.body.length)]
    places = [("in the middle", 0), *((f"at {place:.3g} m", k)
                                      for k, place in enumerate(form.along[1:-1], 1)), ("at the tip", -1)]
    chord = form.chord * np.cbrt(abs(np.linalg.det(form.matrix)))
    return [(f"{words}, chord {chord[k]:.3g} m", float(chord[k])) for words, k in places]
