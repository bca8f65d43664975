"""What shock-expansion and cone theory say of a section's or round body's surface in a supersonic stream."""
import numpy as np

from ..theory import shock_expansion, tangent_cones

PIECES = 120
SLENDEREST = np.radians(0.5)


def surface_theory(setup):
    """Theory for the surfaces of a prepared section, where there is one.

    Parameters
    ----------
    setup : Setup

    Returns
    -------
    dict of str to (str, ndarray, ndarray)
        For "upper" and "lower" (a round body has only "upper"): the theory's name, stations x/c shape (n,)
        and Cp shape (n,) from nose to tail, with both values at a corner. Empty in subsonic flow, for several
        elements, near walls and where the shock is detached.
    """
    air, section = setup.air, setup.shape.section
    if air.mach <= 1.02 or not setup.shape.is_single or setup.sheet.domain.kind not in ("far field", "round"):
        return {}
    incidence = 0.0 if setup.is_round else np.radians(setup.sheet.air.incidence)
    found = {}
    for side, sign, end in (("upper", 1, 0.0), ("lower", -1, section.length))[:1 if setup.is_round else 2]:
        nose = section.leading_edge
        corners = [c for c in section.corners if min(nose, end) < c < max(nose, end)]
        arcs = np.unique(np.concatenate([nose + (end - nose) * np.linspace(0, 1, PIECES + 1), corners]))
        arcs = arcs if end > nose else arcs[::-1]
        points = section.at(arcs)
        steps = np.diff(points, axis=0)
        angles = sign * (np.arctan2(steps[:, 1], steps[:, 0]) - incidence)
        try:
            if setup.is_round:
                name, ratio = "tangent cones", tangent_cones(angles, air.mach, air.gamma)
            else:
                name, ratio = "shock-expansion theory", shock_expansion(angles, air.mach, air.gamma)
        except ValueError:
            continue
        cp = (ratio - 1) / (0.5 * air.gamma * air.mach**2)
        # A round body that goes on straight has left its nose behind: cones say nothing of it.
        keep = np.isfinite(cp) & (angles > SLENDEREST if setup.is_round else True)
        if keep.any():
            found[side] = name, *_polyline(points[:, 0], cp, keep, np.isin(arcs, corners))
    return found


def _polyline(x, cp, keep, corner):
    """Values of the pieces at their middles, and on both sides of each corner and end."""
    ends = corner.copy()
    ends[[0, -1]] = True
    stations, values = [], []
    for k in np.flatnonzero(keep):
        where = [x[k]] * bool(ends[k]) + [0.5 * (x[k] + x[k + 1])] + [x[k + 1]] * bool(ends[k + 1])
        stations += where
        values += [cp[k]] * len(where)
    return np.array(stations), np.array(values)
