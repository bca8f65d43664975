"""The boundary layer before the run: thickness, sublayer, friction and the first cell at stations.

Flat-plate laws; a real layer is thinner where the flow speeds up and thicker towards a tail.

References
----------
Schlichting, Gersten: Boundary-Layer Theory, 2000.
"""
from dataclasses import asdict, dataclass

import numpy as np

from ..theory import plate_friction

SUBLAYER = 5.0
STATIONS = (0.05, 0.25, 0.5, 1.0)


@dataclass(frozen=True)
class PlannedStation:
    """What to expect at one station.

    Attributes
    ----------
    x : float
        In chords or metres, as all lengths here.
    reynolds : float
        On the distance from the nose.
    thickness, sublayer, first_height : float
        `first_height` puts the middle of the first cell at the y+ asked for.
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
