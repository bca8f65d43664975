"""The air far from a wheel in the open: what its slipstream draws in, and how the slipstream leaves.

Outside its slipstream a loaded disc draws air in as a sink in its middle does (a wheel that takes power out
of the wind drives it apart, as a source), by as much as the slipstream carries away: momentum theory tells
how much from the thrust. The far field has that motion and its pressure, and behind the wheel nothing but the
pressure is held. With the undisturbed wind all round, three tip radii away, the air around was a wall to the
slipstream: a hovering rotor's thrust came out 30 % too high, with a figure of merit above one, a wind wheel's
power up to 40 %.

References
----------
Srinivasan, Raghavan, Duque, McCroskey: Flowfield analysis of modern helicopter rotors in hover by
Navier-Stokes method, J. American Helicopter Society 38, 1993 (sink and slipstream at the far field).
Glauert: Airplane propellers, in Durand (ed.): Aerodynamic theory, vol. IV, 1935 (momentum theory).
"""
import numpy as np

from .radial_equilibrium import RadialEquilibrium

# What the sink takes over of a change of the thrust in a step.
RELAXATION = 0.2
# Momentum theory ends where the wake comes to rest: it is slowed down to no less than this share of the wind.
LEAST_WAKE = 0.3


class Slipstream:
    """Sets the far field of a passage of a wheel, in the solver's scales.

    Parameters
    ----------
    flow : Discretisation
        Axes: the air comes along x, the wheel's middle is the origin.
    wind : float
    area : float
        Of the whole disc.
    thrust : float
        Of the whole wheel, towards what comes, to begin with.
    """

    def __init__(self, flow, wind, area, thrust=0.0):
        mesh = flow.mesh
        self.flow, self.wind, self.area, self.thrust = flow, wind, area, thrust
        out = mesh.boundaries["outlet"]
        self.outlet = RadialEquilibrium(flow, out, mesh.level[mesh.left[out]], 0.0, outermost=True)
        far = np.concatenate([mesh.boundaries[name] for name in ("inlet", "casing")])
        self.rows, self.centre = far - flow.n_interior, mesh.face_centre[far]
        self.rim = np.array([[mesh.face_centre[out, 0].mean(), self.outlet.radius.max(), 0.0]])
        self._set()

    def carry(self, thrust):
        """Follow the wheel's thrust of a step."""
        self.thrust += RELAXATION * (thrust - self.thrust)
        self._set()

    def follow(self, state):
        """Set the outlet's pressure: at its rim that of the air around, less further in where it turns."""
        self.outlet.follow(state)

    def _set(self):
        g, drawn = self.flow.stream.gamma, drawn_in(self.thrust, self.wind, self.area)
        velocity = sink(self.centre, drawn, self.wind)
        pressure = self._pressure(velocity)
        velocity[:, 0] += self.wind
        self.flow.ghost[self.rows, 0] = pressure
        self.flow.ghost[self.rows, 1] = (1 + g * pressure)**((g - 1) / g)
        self.flow.ghost[self.rows, 2:] = velocity
        self.outlet.pressure = float(self._pressure(sink(self.rim, drawn, self.wind))[0])

    def _pressure(self, added):
        """Gauge pressure, by Bernoulli's equation, where a velocity is added to the wind."""
        return -(self.wind * added[:, 0] + 0.5 * (added**2).sum(axis=1))


def slipstream(centre, thrust, wind, radius):
    """Axial and outward velocity of a loaded disc's flow at places, shape (n, 3): to start with. Within the
    slipstream the air gains by momentum theory and the vortex tube's share of it, outside the sink draws."""
    area = np.pi * radius**2
    x, r = centre[:, 0], np.hypot(centre[:, 1], centre[:, 2])
    added = _wake(thrust, wind, area) - wind
    along = wind + added * 0.5 * (1 + x / np.hypot(x, radius))
    edge = radius * np.sqrt(np.clip((wind + 0.5 * added) / np.maximum(along, 1e-12), 0, 4))
    outside = sink(centre, drawn_in(thrust, wind, area), wind)
    outside *= np.minimum(((x * x + r * r) / radius**2)**1.5, 1)[:, None]
    # The edge is drawn soft over a tenth of the radius.
    share = np.clip(0.5 + (edge - r) / (0.2 * radius), 0, 1)[:, None]
    outside[:, 0] += wind
    return share * np.stack([along, 0 * x, 0 * x], axis=1) + (1 - share) * outside


def _wake(thrust, wind, area):
    """Axial speed far behind a disc."""
    return np.sqrt(max(wind**2 + 2 * thrust / area, (LEAST_WAKE * wind)**2))


def drawn_in(thrust, wind, area):
    """Volume per time that the air outside the slipstream loses to it, by momentum theory: the disc passes
    S (V + w/2), of which V S_w came along with the wind through what becomes the slipstream's section S_w."""
    wake = _wake(thrust, wind, area)
    return area * 0.5 * (wake + wind) * (wake - wind) / wake if wake > 0 else 0.0


def sink(centre, drawn, mach):
    """Velocity of a sink at the origin at places, shape (n, 3), in a stream along x (Prandtl and Glauert)."""
    beta2 = max(1 - mach**2, 0.1)
    stretched = centre * np.array([1.0, beta2, beta2])
    distance = np.sqrt((centre * stretched).sum(axis=1))
    return -drawn / (4 * np.pi) * stretched / distance[:, None]**3
