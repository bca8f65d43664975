"""The boundary layer of a section before the run, and the cells at the wall that it needs."""
from dataclasses import dataclass

import numpy as np

from ...planned_stations import STATIONS, check_wanted, plan_station

GROWTH = 1.2


@dataclass(frozen=True)
class LayerPlan:
    """The wall layer of a grid.

    Attributes
    ----------
    stations : tuple of PlannedStation
    first_height : float
        In chords, for the whole wall: that of the most demanding station.
    layers : int
        Cells off the wall for the grid section.
    speed : float
        In m/s, what it was made for.
    """

    stations: tuple
    first_height: float
    layers: int
    speed: float


def plan_layer(setup, y_plus=1.0, stations=STATIONS, growth=GROWTH):
    """Plan the wall layer for an operating point.

    Parameters
    ----------
    setup : Setup
    y_plus : float
        Wanted in the first cell's middle.
    stations : sequence of float
        In chords from the nose, more than 0.

    Raises
    ------
    ValueError
        Naming what was given and what is accepted.
    """
    check_wanted(y_plus, stations, "chords")
    turbulent = setup.sheet.flow.model == "turbulent"
    planned = tuple(
        plan_station(float(x), setup.reynolds, y_plus, turbulent, growth) for x in sorted(stations))
    first = min(s.first_height for s in planned)
    thickest = max(s.thickness for s in planned)
    within = np.log1p((growth - 1) * thickest / first) / np.log(growth)
    # Beyond the layer the cells go on growing: to about a chord, or to the far field on lines round a
    # section.
    reach = 0.05 if setup.is_hybrid else setup.plan.far_field
    whole = within if setup.is_hybrid else np.log1p((growth - 1) * reach / first) / np.log(growth)
    layers = int(np.clip(4 * np.ceil(whole / 4), 8 if setup.is_hybrid else 24, 400))
    return LayerPlan(planned, float(f"{first:.3g}"), layers, setup.air.speed)
