"""The tap row: pressure and friction round the section, and what is read off them."""
from dataclasses import dataclass

import numpy as np

from ..gas import isentropic_pressure_ratio, mach_from_pressure
from ..grids.turning_zone import standing
from .profiles import WallSampler

# Least pressure at a wall over that of its cell, and pressure over the stream's below which the air counts as
# gone.
LEAST_OF_CELL, EMPTY = 0.3, 0.03


@dataclass
class TapRow:
    """Readings along the wall, clockwise from the lower trailing edge to the upper one.

    Attributes
    ----------
    x, y : ndarray, shape (n,)
        In chords.
    cp, cf : ndarray
        Pressure and skin-friction coefficient; friction is positive downstream.
    mach : ndarray
        Mach number at the wall: the cell's, carried to the wall by its total pressure; in viscous flow the
        isentropic one of the wall pressure and the stream's total pressure.
    surface : list of str
    y_plus : ndarray or None
        Of the first cell's middle.
    thickness, shape : ndarray or None
        Boundary-layer thickness in chords and shape factor; NaN where no edge is found.
    empty : ndarray of bool or None
        Where hardly any pressure is left, as behind a base in supersonic flow.
    """

    x: np.ndarray
    y: np.ndarray
    cp: np.ndarray
    cf: np.ndarray
    mach: np.ndarray
    surface: list
    y_plus: np.ndarray | None = None
    thickness: np.ndarray | None = None
    shape: np.ndarray | None = None
    empty: np.ndarray | None = None

    def side(self, name):
        """Indices of one side, from the leading to the trailing edge."""
        index = np.array([k for k, s in enumerate(self.surface) if s == name], dtype=int)
        if len(index) == 0:
            return index
        return index[::-1] if name.endswith("lower") else index

    @property
    def sides(self):
        """Names of the upper and lower sides of every element, in order."""
        return [name for name in dict.fromkeys(self.surface) if name.endswith(("upper", "lower"))]


def read_taps(flow, state, with_layer=False):
    """Read a `TapRow` after a residual of `state`; the boundary layer only where asked, as it takes a
    second."""
    mesh, wall = flow.mesh, flow.wall
    q, gamma = flow.stream.dynamic_pressure, flow.stream.gamma
    _, friction = flow.wall_loads()
    cell, normal = mesh.left[wall], mesh.normal[wall]
    gauge = flow.wall_pressure[flow.wall_local]
    tangent = np.stack([-normal[:, 1], normal[:, 0]], axis=1)
    # The tangent runs clockwise round the section; downstream is against it on the lower side.
    surface = []
    for name in mesh.walls:
        surface += [name] * len(mesh.boundaries[name])
    direction = np.array([-1.0 if s.endswith("lower") else 1.0 for s in surface])
    cf = (friction * tangent).sum(axis=1) / (q * mesh.area[wall]) * direction
    # Isentropic change from the cell to the wall pressure keeps the local total pressure.
    absolute = state[cell, 0] + 1 / gamma
    # Carried to the wall in straight lines, a pressure near nothing would come out below it.
    wall_absolute = np.maximum(gauge + 1 / gamma, LEAST_OF_CELL * absolute)
    mach2 = (state[cell, 2]**2 + state[cell, 3]**2) / state[cell, 1]
    total = absolute * (1 + 0.5 * (gamma - 1) * mach2)**(gamma / (gamma - 1))
    if flow.stream.reynolds is not None:
        # On a wall that holds the flow: the Mach number that the stream's total pressure would give there.
        total = isentropic_pressure_ratio(flow.stream.mach, gamma) / gamma
    mach = mach_from_pressure(np.minimum(wall_absolute / total, 1.0), gamma)
    row = TapRow(*standing(mesh, wall).T, gauge / q, cf, mach, surface, y_plus_row(flow, state))
    row.empty = np.minimum(absolute, wall_absolute) * gamma < EMPTY
    if with_layer and flow.stream.reynolds is not None:
        row.thickness, row.shape, _ = WallSampler(mesh, state, gamma, flow.stream.mach).thickness_row().T
    return row


def find_shocks(taps):
    """Shocks that stand on the section.

    A shock is a drop of the wall Mach number through 1 within a few taps.  Its place is
    where the pressure, which a captured shock smears over two or three cells, is half-way
    between the values ahead and behind.

    Returns
    -------
    list of dict with ``surface, x, mach_ahead``
    """
    out = []
    for name in taps.sides:
        k = taps.side(name)
        if len(k) < 8:
            continue
        x, cp, mach = taps.x[k], taps.cp[k], taps.mach[k]
        for i in np.nonzero((mach[:-1] > 1.0) & (mach[1:] <= 1.0))[0]:
            # The nearly empty air behind a base has no pressure to speak of: what ends there is no shock of
            # the section.
            if taps.empty is not None and taps.empty[k][i]:
                continue
            ahead = _walk(mach, i, -1)
            behind = _walk(-mach, i + 1, 1)
            if mach[ahead] < 1.05 or mach[ahead] - mach[behind] < 0.08 or x[ahead] < 0.02:
                continue
            half = 0.5 * (cp[ahead] + cp[behind])
            stretch = slice(ahead, behind + 1)
            place = np.interp(half, cp[stretch], x[stretch])
            out.append({"surface": name, "x": float(place), "mach_ahead": float(mach[ahead])})
    return out


def _walk(values, start, step, most=6):
    """Follow rising values from `start`, at most `most` taps; index of the last one."""
    i = start
    for _ in range(most):
        j = i + step
        if not 0 <= j < len(values) or values[j] <= values[i] + 1e-4:
            break
        i = j
    return i


def find_separation(taps):
    """Stations where the wall friction changes sign.

    Returns
    -------
    list of dict with ``surface, x, kind`` ("separation" or "reattachment")
    """
    out = []
    for name in taps.sides:
        k = taps.side(name)
        x, cf = taps.x[k], taps.cf[k]
        if len(k) < 8 or np.abs(cf).max() == 0:
            continue
        for i in range(1, len(k) - 1):
            if x[i] > 0.03 and cf[i - 1] * cf[i] < 0:
                place = x[i - 1] + (x[i] - x[i - 1]) * cf[i - 1] / (cf[i - 1] - cf[i])
                out.append({
                    "surface": name, "x": float(place), "kind": "separation" if cf[i] < 0 else "reattachment"
                })
    return out


def speed_back_from_tail(flow, state, stretch=0.1):
    """Largest speed over the stream's at which air runs upstream along the wall, over the last `stretch` of a
    section one chord long; 0 where none does."""
    cells = flow.mesh.left[flow.wall[(flow.mesh.face_centre[flow.wall, 0] > 1.0 - stretch) & ~flow.is_blown]]
    along = flow.stream.axes[0]
    return max(0.0, float(-(state[cells, 2:4] @ along).min() / flow.stream.mach)) if len(cells) else 0.0


def wall_units(flow, state):
    """y+ of the first cell centres after a residual of `state`: {"largest", "mean"}, or None without a
    closure."""
    row = y_plus_row(flow, state)
    return None if row is None else {"largest": float(row.max()), "mean": float(row.mean())}


def y_plus_row(flow, state):
    """y+ of the first cell centre over every wall face, shape (n_wall,), or None without a closure."""
    if flow.closure is None:
        return None
    _, friction = flow.wall_loads()
    mesh, cell = flow.mesh, flow.mesh.left[flow.wall]
    gamma = flow.stream.gamma
    rho = gamma * (state[cell, 0] + 1 / gamma) / state[cell, 1]
    stress = np.where(flow.is_blown, 0.0, np.linalg.norm(friction, axis=1) / mesh.area[flow.wall])
    return rho * np.sqrt(stress / rho) * flow.distance[cell] / flow.molecular[cell]
