"""A wing's drag in two: what the air behind it has lost, and what its trailing vortices carry away.

Air that has lost total pressure, to friction, separation or the cells, moves on slower for good: that part of
the drag is the entropy that flows through a surface close behind the trailing edge.  The rest is induced.
Without friction nothing is lost but to the cells.

References
----------
Oswatitsch: Gas dynamics, 1956; Destarac, van der Vooren: Drag/thrust analysis of jet-propelled transonic
transport aircraft, Aerospace Sci. Technol. 8 (2004).
"""
import numpy as np

# Surfaces behind the trailing edge are averaged over three stretches, so far behind it in the middle and so
# far to both sides, in mean chords: nearer, a thick layer is still being reshaped; further, the cells have
# begun to wear the vortices down.
BEHIND, REACH = (0.2, 0.25, 0.3), 0.1
STRIPS, ON_EDGE = 80, np.linspace(0.0, 1.0, 17)


class LostDrag:
    """What passes the surfaces behind a wing, on one mesh.

    Parameters
    ----------
    mesh : SpatialMesh
    axes : ndarray, shape (3, 3)
        Unit vectors along the stream, to the side and up.
    """
    def __init__(self, mesh, axes):
        at, nose, tail = _edges(mesh.obstacle.surface.corners @ axes[:2].T)
        where = mesh.centre[:mesh.n_own] @ axes[:2].T
        behind = (where[:, 0] - np.interp(where[:, 1], at, tail)) / float((tail - nose).mean())
        passed = np.stack([smooth_step((behind - middle) / REACH) for middle in BEHIND])
        left, right = mesh.left[:mesh.n_interior], mesh.right[:mesh.n_interior]
        self._mesh, self._faces = mesh, np.flatnonzero((passed[:, left] != passed[:, right]).any(axis=0))
        # How much of the surfaces each face belongs to.
        self._share = passed[:, right[self._faces]] - passed[:, left[self._faces]]

    def measure(self, flow, state, area):
        """The drag coefficient of what is lost.

        Parameters
        ----------
        flow : Discretisation
            With the fluxes and gradients of this state.
        state : ndarray
        area : float
            Of the part of the body that is in the mesh, in the solver's unit.

        Returns
        -------
        float, float
            Mean over the stretches, and half of what they or the two ways to read them differ by.
        """
        mesh, faces = self._mesh, self._faces
        gamma, mach, passing = flow.stream.gamma, flow.stream.mach, flow.flux[faces, 0]
        # As it comes with the air, from the cell that it leaves with that one's slope, and in the mean of
        # both cells: in a wake that few cells tell apart the one reads too little and the other too much.
        cell = np.where(passing > 0, mesh.left[faces], mesh.right[faces])
        other = np.where(passing > 0, mesh.right[faces], mesh.left[faces])
        here, there = state[cell, :2], state[other, :2]
        at_face = here + np.einsum("fcd,fd->fc", flow.grad[cell, :2],
                                   mesh.face_centre[faces] - mesh.centre[cell])
        at_face = np.clip(at_face, np.minimum(here, there), np.maximum(here, there))
        carried, mean = (2.0 * self._share @ (passing * lacking) / (mach * area) for lacking in
                         (slowness(at_face, gamma, mach),
                          0.5 * (slowness(here, gamma, mach) + slowness(there, gamma, mach))))
        found = 0.5 * (carried + mean)
        return float(found.mean()), 0.5 * float(max(np.ptp(found), abs((carried - mean).mean())))


def smooth_step(t):
    """0 before -1 and 1 after 1, with a slope that begins and ends at nothing."""
    t = np.clip(t, -1.0, 1.0)
    return 0.5 * (1.0 + t + np.sin(np.pi * t) / np.pi)


def slowness(state, gamma, mach):
    """Share of the stream's speed that air will lack once its pressure is that of the stream, shape (n,)."""
    entropy = np.log(np.maximum(
        state[:, 1], 1e-6)) - (gamma - 1) / gamma * np.log(np.maximum(state[:, 0] * gamma + 1, 1e-6))
    return 1.0 - np.sqrt(np.clip(1.0 - 2.0 / ((gamma - 1) * mach**2) * np.expm1(entropy), 0.0, None))


def _edges(corners):
    """Places across the stream, and how far along it a surface begins and ends there; `corners`, shape (n, 3,
    2), are along and across."""
    start, end = corners, np.roll(corners, -1, axis=1)
    points = (start[:, :, None] + ON_EDGE[:, None] * (end - start)[:, :, None]).reshape(-1, 2)
    across = np.linspace(points[:, 1].min(), points[:, 1].max(), STRIPS + 1)
    strip = np.clip(np.searchsorted(across, points[:, 1], side="right") - 1, 0, STRIPS - 1)
    nose, tail = np.full(STRIPS, np.inf), np.full(STRIPS, -np.inf)
    np.minimum.at(nose, strip, points[:, 0])
    np.maximum.at(tail, strip, points[:, 0])
    held = np.isfinite(nose)
    return 0.5 * (across[1:] + across[:-1])[held], nose[held], tail[held]
