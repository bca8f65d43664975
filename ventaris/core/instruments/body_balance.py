"""The balance for bodies in space: forces and moments by part and by named surface, pressure and friction
apart."""
from dataclasses import dataclass, field

import numpy as np
from scipy.interpolate import PchipInterpolator

from ..grids.embedded import boundary_of
from .balance import channel_name

STATIONS, ACROSS = 80, 60
# A wall face of no extent in y is given this share of the whole.
LEAST_EXTENT = 1e-9
# Share of the load on faces that a clean cut may pass through; fewest clean cuts that a curve is drawn
# through.
STRADDLED, LEAST_CUTS = 0.02, 6
PER_NEWTON = {"N": 1.0, "lbf": 1 / 4.4482216152605, "kgf": 1 / 9.80665}


@dataclass(frozen=True)
class BodyBalance:
    """Weigh the walls of a body.

    Attributes
    ----------
    area, length : float
        References in the solver's unit of length (squared).
    moment_point : ndarray, shape (3,)
        In that unit.
    direction : ndarray, shape (3,)
        Of the stream; drag is along it, side force is horizontal (towards y > 0), lift at right angles to
        both.
    parts : tuple of str
        Weighed one by one where there are several.
    axles : tuple of float or None
        x of the front and rear axle, z of the ground on which they stand.
    half : bool
        Half of a symmetric body is weighed and reported as the whole.
    regions : tuple of str
        Named surfaces whose forces are channels.
    openings : tuple of (str, bool)
        Surfaces through which air (True) or heat alone passes: their flows are channels.
    flow_unit, heat_unit : float
        kg/s and W of the solver's unit of mass flow and of power.
    """

    area: float
    length: float
    moment_point: np.ndarray
    direction: np.ndarray
    parts: tuple = ()
    axles: tuple | None = None
    half: bool = False
    regions: tuple = ()
    openings: tuple = ()
    flow_unit: float = 1.0
    heat_unit: float = 1.0
    axes: np.ndarray = field(init=False)

    def __post_init__(self):
        side = np.cross([0.0, 0.0, 1.0], self.direction)
        side /= np.linalg.norm(side)
        object.__setattr__(self, "axes", np.stack([self.direction, side, np.cross(self.direction, side)]))

    def loads(self, flow):
        """Pressure and friction coefficient of each wall face along drag, side and lift, each shape (n_wall,
        3)."""
        q = 0.5 * flow.stream.mach**2 * self.area
        pressure, friction = (force @ self.axes.T / q for force in flow.wall_loads())
        if self.half:
            pressure, friction = (2.0 * force * [1.0, 0.0, 1.0] for force in (pressure, friction))
        return pressure, friction

    def measure(self, flow):
        """Coefficients on the reference area and dynamic pressure from the last residual.

        Returns
        -------
        dict
            ``lift, drag, side, moment, roll, turn, drag_pressure, drag_friction, lift_pressure``; the
            pitching moment ``moment`` is positive nose up, ``roll`` with the right side down, ``turn`` (yaw)
            with the nose to the right, all on the reference length.  With axles ``lift_front`` and
            ``lift_rear``.  Where air passes surfaces ``drag_openings``, the part of the drag that is its
            momentum and pressure, and ``mass_flow_<surface>`` in kg/s, positive into the flow; of heated ones
            ``heat_<surface>`` in W.  Of several parts ``drag_<part>`` and ``lift_<part>``, and of surfaces
            that the user named the same.
        """
        pressure, friction = self.loads(flow)
        total = pressure + friction
        drag, side, lift = total.sum(axis=0)
        moment = self._moments(flow, self.moment_point)
        out = {
            "lift": lift, "drag": drag, "side": side, "moment": moment[1], "roll": moment[0],
            "turn": moment[2], "drag_pressure": pressure[:, 0].sum(), "drag_friction": friction[:, 0].sum(),
            "lift_pressure": pressure[:, 2].sum()
        }
        if self.axles:
            front, rear, ground = self.axles
            about = self._moments(flow, np.array([0.5 * (front + rear), 0.0, ground]))[1] * self.length
            out["lift_front"] = 0.5 * lift + about / (rear - front)
            out["lift_rear"] = lift - out["lift_front"]
        if len(self.parts) > 1:
            owner = flow.mesh.obstacle.surface.part[flow.mesh.wall_triangle]
            for k, name in enumerate(self.parts):
                own = owner == k
                out[channel_name(f"drag_{name}")] = total[own, 0].sum()
                out[channel_name(f"lift_{name}")] = total[own, 2].sum()
        if self.regions:
            named = self.by_surface(flow)
            for name in self.regions:
                found = named.get(boundary_of(name))
                if found:
                    out |= {
                        channel_name(f"drag_{name}"): found["drag"],
                        channel_name(f"lift_{name}"): found["lift"]
                    }
        if any(flows for _, flows in self.openings):
            # What passes brings and takes momentum: no friction.
            out["drag_openings"] = friction[flow.is_blown, 0].sum()
            out["drag_friction"] -= out["drag_openings"]
        for name, flows in self.openings:
            passed = flow.flux[flow.mesh.boundaries[name]] * (2.0 if self.half else 1.0)
            if flows:
                out[channel_name(f"mass_flow_{name}")] = -passed[:, 0].sum() * self.flow_unit
            else:
                out[channel_name(f"heat_{name}")] = -passed[:, 1].sum() * self.heat_unit
        return {name: float(value) for name, value in out.items()}

    def _moments(self, flow, point):
        """Roll (right side down), pitch (nose up) and yaw (nose to the right) on the reference length; the
        nose looks to -x, y > 0 is its right."""
        pressure, friction = flow.wall_loads()
        force = (pressure + friction) / (0.5 * flow.stream.mach**2 * self.area * self.length)
        moment = np.cross(flow.mesh.face_centre[flow.wall] - point, force).sum(axis=0) * [-1.0, 1.0, -1.0]
        return 2.0 * moment * [0.0, 1.0, 0.0] if self.half else moment

    def by_surface(self, flow):
        """{named surface: {drag, lift, side, drag_pressure, drag_friction}}; the rest of an opening's drag is
        what passes it."""
        pressure, friction = self.loads(flow)
        position = np.zeros(flow.mesh.n_faces, dtype=np.int64)
        position[flow.wall] = np.arange(len(flow.wall))
        out = {}
        for name in flow.mesh.walls:
            k = position[flow.mesh.boundaries[name]]
            p, f = pressure[k].sum(axis=0), friction[k].sum(axis=0)
            out[name] = {
                "drag": float(p[0] + f[0]), "lift": float(p[2] + f[2]), "side": float(p[1] + f[1]),
                "drag_pressure": float(p[0]), "drag_friction": float(friction[k[~flow.is_blown[k]], 0].sum())
            }
        return out

    def build_up(self, flow, low, high):
        """Drag and lift gathered from the nose to each of a row of stations.

        Returns
        -------
        dict of str to list
            ``x`` (in the solver's unit), ``drag``, ``lift``: cumulative coefficients.
        """
        pressure, friction = self.loads(flow)
        total = pressure + friction
        edges = np.linspace(low, high, STATIONS + 1)
        bins = np.clip(
            np.searchsorted(edges, flow.mesh.face_centre[flow.wall, 0], side="right") - 1, 0, STATIONS - 1)
        gathered = {
            name: np.concatenate([[0.0],
                                  np.cumsum(np.bincount(bins, total[:, axis], minlength=STATIONS))])
            for name, axis in (("drag", 0), ("lift", 2))
        }
        return {"x": edges.tolist(), **{name: values.tolist() for name, values in gathered.items()}}

    def span_load(self, flow, low, high):
        """Lift and drag per length across the stream, over dynamic pressure and reference length: of a wing
        whose reference is its mean chord the product of section coefficient and chord, over that chord.

        What is gathered up to a place is known where it passes between faces; a curve that does not swing
        (Fritsch, Butland 1984) runs through these, and its slope is the load.

        Parameters
        ----------
        low, high : float
            Least and largest y of what is weighed, in the solver's unit.

        Returns
        -------
        dict of str to list
            ``y`` (middle of each strip, in the solver's unit), ``drag``, ``lift``.
        """
        pressure, friction = self.loads(flow)
        total = (pressure + friction)[:, [0, 2]] * (0.5 if self.half else 1.0)
        first, last = flow.mesh.wall_spans().T
        edges = _clean_cuts(first, last, np.abs(total).sum(axis=1), low, high)
        extent = np.maximum(last - first, LEAST_EXTENT * (high - low))
        gathered = np.stack([np.clip((edge - first) / extent, 0.0, 1.0) @ total for edge in edges])
        # What a cube holds beyond the ends belongs to the last strips.
        gathered[0], gathered[-1] = 0.0, total.sum(axis=0)
        y = low + (np.arange(ACROSS) + 0.5) / ACROSS * (high - low)
        load = PchipInterpolator(edges, gathered, axis=0).derivative()(y) * self.area / self.length
        return {"y": y.tolist(), "drag": load[:, 0].tolist(), "lift": load[:, 1].tolist()}


def _clean_cuts(first, last, load, low, high):
    """Places in y, from low to high, that pass between wall faces; evenly spaced ones where there are few."""
    hair, least = 1e-6 * (high - low), (high - low) / ACROSS
    found = [low]
    for edge in np.unique(np.round(first / hair)) * hair:
        through = load[(first < edge - hair) & (last > edge + hair)].sum()
        if edge > found[-1] + least and edge < high - least and through < STRADDLED * load.sum():
            found.append(edge)
    return np.array([*found, high]) if len(found) >= LEAST_CUTS else np.linspace(low, high, ACROSS + 1)


def body_forces(coefficients, air, area, length, unit):
    """Forces in the wanted unit (moments in that unit times metres) from coefficients."""
    scale = air.dynamic_pressure * area * PER_NEWTON[unit]
    out = {
        name: coefficients[name] * scale
        for name in ("lift", "drag", "side", "drag_pressure", "drag_friction", "drag_openings", "lift_front",
                     "lift_rear") if name in coefficients
    }
    out["moment"] = coefficients["moment"] * scale * length
    return {**out, "unit": unit}
