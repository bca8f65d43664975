"""The outlet of a blade row: a static pressure at the hub that grows outwards as the swirl demands.

Ring by ring the mean of rho v_theta^2 / r is what the pressure gains per radius. The pressure follows the
state within the residual, so that Newton's steps see it; followed between steps instead, a row went on
drifting for a hundred of them.
"""
import numpy as np


class RadialEquilibrium:
    """Sets the pressure of an outlet's faces.

    Parameters
    ----------
    flow : Discretisation
    faces : ndarray of int
        Of the outlet, which stands across the x axis.
    ring : ndarray of int, shape (n_faces,)
        Which ring a face belongs to, counted from the hub.
    pressure : float
        Gauge pressure at the hub.
    resistance : float
        Of a throttle: what the pressure at the hub gains with the square of the mass flow (of one passage).
    outermost : bool
        The pressure is that at the outermost ring instead: of the air around a wheel in the open.
    """

    def __init__(self, flow, faces, ring, pressure, resistance=0.0, outermost=False):
        mesh = flow.mesh
        self.flow, self.rows, self.cell, self.ring = flow, faces - flow.n_interior, mesh.left[faces], ring
        self.pressure, self.resistance, self.outermost = pressure, resistance, outermost
        y, z = mesh.face_centre[faces, 1:].T
        self.y, self.z, self.radius, self.area = y, z, np.hypot(y, z), mesh.area[faces]
        points = mesh.points[mesh.face_nodes[faces].ravel()]
        self.hub = float(np.hypot(points[:, 1], points[:, 2]).min())
        self.count = int(ring.max()) + 1
        self.total_area = np.bincount(ring, self.area, minlength=self.count)

    def follow(self, state):
        """Set the faces' rows of what stands outside."""
        p, t, u = state[self.cell, 0], state[self.cell, 1], state[self.cell, 2]
        g = self.flow.stream.gamma
        rho = g * (p + 1 / g) / t
        swirl = (self.y * state[self.cell, 4] - self.z * state[self.cell, 3]) / self.radius
        mean = lambda values: np.bincount(self.ring, self.area * values, minlength=self.count
                                          ) / self.total_area
        radius, slope = mean(self.radius), mean(rho * swirl**2 / self.radius)
        steps = np.concatenate([[slope[0] * (radius[0] - self.hub)],
                                0.5 * (slope[1:] + slope[:-1]) * np.diff(radius)])
        at_hub = self.pressure
        if self.resistance:
            at_hub = at_hub + self.resistance * float((rho * u * self.area).sum())**2
        rise = np.cumsum(steps)
        if self.outermost:
            rise -= rise[-1]
        self.flow.ghost[self.rows, 0] = at_hub + rise[self.ring]
