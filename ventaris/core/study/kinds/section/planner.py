"""The boundary layer before the run: thickness, sublayer, friction and the cells that it needs.

Flat-plate laws; a real section's layer is thinner where the flow speeds up and thicker towards
its trailing edge.

References
----------
Schlichting, Gersten: Boundary-Layer Theory, 2000.
"""
from dataclasses import asdict, dataclass

import numpy as np

from ....theory import plate_friction

SUBLAYER = 5.0
STATIONS = (0.05, 0.25, 0.5, 1.0)
GROWTH = 1.2


@dataclass(frozen=True)
class PlannedStation:
    """What to expect at one station.

    Attributes
    ----------
    x : float
        In chords.
    reynolds : float
        On the distance from the nose.
    thickness, sublayer, first_height : float
        In chords; `first_height` puts the middle of the first cell at the y+ asked for.
    friction : float
        Skin-friction coefficient.
    cells : int
        Layers within the thickness when each is a fifth higher than the one before.
    """

    x: float
    reynolds: float
    thickness: float
    sublayer: float
    friction: float
    first_height: float
    cells: int

    def as_dict(self):
        return asdict(self)


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


def check_wanted(y_plus, stations, lengths):
    """Raises ValueError where a y+ or stations, counted in `lengths`, are not accepted."""
    if not 0.05 <= y_plus <= 500:
        raise ValueError(
            f"y+ = {y_plus:g}: accepted are 0.05 to 500; 1 resolves the layer, 30 to 100 leaves it to a wall "
            "function"
        )
    for x in stations:
        if not 0.001 <= x <= 20:
            raise ValueError(f"station {x:g}: accepted are 0.001 to 20 {lengths} from the nose")
    if not stations:
        raise ValueError(f"no station: give at least one, in {lengths} from the nose")


def plan_station(x, reynolds, y_plus, turbulent, growth):
    """A `PlannedStation` at a distance from the nose, by the Reynolds number per length."""
    local = reynolds * x
    if turbulent:
        thickness, friction = 0.37 * x * local**-0.2, plate_friction(local)
    else:
        thickness, friction = 5.0 * x * local**-0.5, 0.664 * local**-0.5
    unit = 1.0 / (reynolds * np.sqrt(0.5 * friction))
    # The first cell's middle lies half its height off the wall.
    first = 2.0 * y_plus * unit
    cells = int(np.floor(np.log1p((growth - 1) * thickness / first) / np.log(growth)))
    return PlannedStation(x, local, float(thickness), float(SUBLAYER * unit), float(friction), float(first),
                          cells)
