"""The outlet of a blade row: a static pressure at the hub that grows outwards as the swirl demands.

Ring by ring the mean of rho v_theta^2 / r is what the pressure gains per radius. The pressure follows the
state within the residual, so that Newton's steps see it; followed between steps instead, a row went on
drifting for a hundred of them.
"""
import numpy as np

# A flow that is held, with pressures over the tip's head. The throttle within a step gains so much with the
# square of the flow; a step moves the pressure by a share of what would take away the excess that is seen so
# many steps ahead, by the row's own slope and the throttle's, at most so far.
THROTTLE, FOLLOWED, AHEAD, MOST_MOVED = 0.2, 0.065, 3, 0.008
# The row's slope: at first, over so many steps, where the pressure moved by more than a share, at most.
SLOPE, SLOPE_OVER, LEAST_RISE, STEEPEST = 2.0, 10, 0.004, 10.0
# A row is choked whose pressure at the outlet fell by more than a share within so many steps while the flow,
# which is short of that asked for, moved by less than another; or whose pressure falls below that share of
# the total pressure ahead.
ANSWERS_WITHIN, LOWERED, UNMOVED, SHORT, LEAST_PRESSURE, NEAR_MOST = 20, 0.03, 5e-4, 2e-3, 0.2, 0.98


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
        rise = np.cumsum(steps)
        if self.outermost:
            rise -= rise[-1]
        self.flow.ghost[self.rows, 0] = self._at_hub(float((rho * u * self.area).sum())) + rise[self.ring]

    def _at_hub(self, through):
        """Pressure at the hub, or at the outermost ring, with a mass flow of one passage."""
        return self.pressure + self.resistance * through**2


class HeldFlow(RadialEquilibrium):
    """Finds the pressure at the hub with which a mass flow passes.

    Within a step it is a throttle; from step to step the pressure follows what passes too much or too little,
    by the slope that the row's own line has there. Where the flow hardly answers to a pressure that falls,
    the row is choked, and the pressure stays. A throttle so steep that it held the flow by itself left
    Newton's steps with Courant numbers of ten.

    Parameters
    ----------
    asked : float
        Mass flow of one passage.
    head : float
        Of the tip, gauge: what pressures are measured by.
    """

    def __init__(self, flow, faces, ring, pressure, asked, head):
        super().__init__(flow, faces, ring, pressure, THROTTLE * head / asked**2)
        self.asked, self.head = asked, head
        self.holds = self.choked = False
        self.slope, self._most, self._course = SLOPE, 0.0, []

    def begin(self, through):
        """Hold the flow from now on, from a pressure of a moment in which so much passes."""
        self.holds = True
        self.pressure -= self._at_hub(through) - self.pressure

    def begin_from(self, state):
        """The same from the pressure that a state has at the outlet's hub."""
        inner, (p, t, u) = self.ring == 0, state[self.cell, :3].T
        self.pressure = float((self.area * p)[inner].sum() / self.area[inner].sum())
        g = self.flow.stream.gamma
        self.begin(float((g * (p + 1 / g) / t * u * self.area).sum()))

    def kept(self):
        """What `restore` takes, beside the pressure."""
        return [float(self.holds), float(self.choked), self.slope]

    def restore(self, holds, choked, slope):
        self.holds, self.choked, self.slope = bool(holds), bool(choked), float(slope)

    def carry(self, through):
        """Follow what passed in a step."""
        if not self.holds or self.choked:
            return
        excess = through / self.asked - 1
        ahead = excess + AHEAD * (through - self._course[-1][1]) / self.asked if self._course else excess
        self._follow_slope(through)
        move = FOLLOWED * (self.slope + 2 * THROTTLE) * ahead
        self.pressure += self.head * float(np.clip(move, -MOST_MOVED, MOST_MOVED))
        self._course = [*self._course[-ANSWERS_WITHIN:], (self.pressure, through)]
        if self._is_choked():
            self.choked, self.pressure = True, self._course[0][0]

    def _follow_slope(self, through):
        """What the pressure at the hub has lost lately for each share that the flow gained, over the head."""
        if len(self._course) <= SLOPE_OVER:
            return
        pressure, passed = self._course[-SLOPE_OVER]
        rise = (self.pressure - pressure + self.resistance * (through**2 - passed**2)) / self.head
        gain = np.log(through / passed)
        if abs(rise) > LEAST_RISE and rise * gain < 0:
            self.slope = float(min(-rise / gain, STEEPEST))

    def arrived(self, through, within):
        """Whether so much passes, as a share, or as much as can."""
        return self.choked or abs(through / self.asked - 1) <= within

    def _is_choked(self):
        (before, passed), (now, passes) = self._course[0], self._course[-1]
        self._most = max(self._most, passes)
        if len(self._course) <= ANSWERS_WITHIN or passes > (1 - SHORT) * self.asked:
            return False
        if passes < NEAR_MOST * self._most:
            # It comes out of a stall.
            return False
        before, now = (self.flow.stream.gamma * pressure + 1 for pressure in (before, now))
        return now < LEAST_PRESSURE or now < (1 - LOWERED) * before and abs(passes / passed - 1) < UNMOVED

    def _at_hub(self, through):
        if not self.holds:
            return self.pressure
        return self.pressure + self.resistance * (through**2 - self.asked**2)
