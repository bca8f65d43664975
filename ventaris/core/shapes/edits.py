"""Edits that make variants of a section.  Each takes a loop in chord units and returns a new one."""
import numpy as np

from .coordinates import ShapeError
from .section import Section


def scale_thickness_and_camber(loop, thickness_scale=1.0, camber_scale=1.0, trailing_edge_gap=None):
    """Scale the thickness and the camber line, and set the thickness at the trailing edge.

    Thickness and camber are measured across the chord line.  The trailing-edge gap is
    reached by adding a thickness that grows linearly from the nose, so that the front
    of the section keeps its shape.

    Parameters
    ----------
    loop : ndarray, shape (n, 2)
    thickness_scale, camber_scale : float
    trailing_edge_gap : float or None
        In chords; None keeps what the scaled section has.
    """
    if thickness_scale == 1 and camber_scale == 1 and trailing_edge_gap is None:
        return loop
    section = Section(loop)
    if section.trailing_edge == "round" and trailing_edge_gap:
        raise ShapeError(
            "shape.edits.trailing_edge_gap: a rounded trailing edge has no gap to set. Leave it empty.")
    upper, lower = section.sides(loop[:, 0].clip(0, 1))
    other = np.where(_is_upper(section, loop), lower, upper)
    camber, half = 0.5 * (loop[:, 1] + other), 0.5 * (loop[:, 1] - other)
    half = half * thickness_scale
    if trailing_edge_gap is not None:
        extra = trailing_edge_gap - section.gap * thickness_scale
        sign = np.where(_is_upper(section, loop), 1.0, -1.0)
        half = half + 0.5 * extra * sign * loop[:, 0].clip(0, 1)
    out = loop.copy()
    out[:, 1] = camber * camber_scale + half
    if trailing_edge_gap == 0:
        out[0] = out[-1] = 0.5 * (out[0] + out[-1])
    return out


def deflect_rear(loop, hinge, deflection, blend=0.06):
    """A plain flap: the part behind the hinge turns down, with a smooth joint.

    The section is bent like a beam: the chord line turns by the deflection over the
    blend length, centred on the hinge, and every point keeps its distance to it.
    Lengths along the chord line stay as they are.

    Parameters
    ----------
    loop : ndarray, shape (n, 2)
    hinge, blend : float
        In chords.
    deflection : float
        Radians, positive trailing edge down.
    """
    if deflection == 0:
        return loop
    centre_line = _camber_at(loop, hinge)
    reach = np.abs(loop[np.abs(loop[:, 0] - hinge) < blend, 1] - centre_line)
    if len(reach) and 1.5 * abs(deflection) / blend * reach.max() > 0.9:
        raise ShapeError(
            f"shape.edits.flap_blend = {blend:.3g}: the joint would fold over itself at this deflection. "
            f"Give at least {1.7 * abs(deflection) * reach.max():.2g} chords or a smaller deflection.")
    station = np.linspace(-0.05, 1.1, 4601)
    share = ((station - hinge) / blend + 0.5).clip(0, 1)
    angle = deflection * share**2 * (3 - 2 * share)
    dx = np.diff(station)
    mid = 0.5 * (angle[1:] + angle[:-1])
    axis_x = station[0] + np.concatenate([[0], np.cumsum(np.cos(mid) * dx)])
    axis_y = centre_line - np.concatenate([[0], np.cumsum(np.sin(mid) * dx)])
    x = loop[:, 0]
    turned, offset = np.interp(x, station, angle), loop[:, 1] - centre_line
    return np.stack([
        np.interp(x, station, axis_x) + offset * np.sin(turned),
        np.interp(x, station, axis_y) + offset * np.cos(turned)
    ], axis=1)


def _camber_at(loop, x):
    upper, lower = Section(loop).sides(np.array([x]))
    return float(0.5 * (upper[0] + lower[0]))


def _is_upper(section, loop):
    step = np.linalg.norm(np.diff(loop, axis=0), axis=1)
    return np.concatenate([[0], np.cumsum(step)]) <= section.leading_edge
