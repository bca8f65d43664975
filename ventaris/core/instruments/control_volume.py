"""The check of the balance: the momentum that the surrounding air loses, against the forces on the walls."""
import numpy as np


def momentum_balance(flow, reach=1.0, share=1.0):
    """Forces from the momentum that crosses a contour round the body.

    The contour runs along cell faces about `reach` chords off the walls and uses the fluxes of the
    last residual; it takes in pieces of a ground or channel wall that it meets.  What the air inside
    gains or loses while the flow is not settled is the difference to the balance on the walls.

    Parameters
    ----------
    flow : Discretisation
    reach : float
    share : float
        As for the `Balance`.

    Returns
    -------
    dict
        ``lift, drag`` (coefficients), ``mass`` (net outflow over rho_inf U_inf chord, slots included),
        ``reach``.
    """
    mesh, n = flow.mesh, flow.n_interior
    walls = mesh.face_centre[flow.wall]
    low, high = walls.min(0) - reach, walls.max(0) + reach
    inside = ((mesh.centre > low) & (mesh.centre < high)).all(axis=1)
    left, right = inside[mesh.left[:n]], inside[mesh.right[:n]]
    sign = left.astype(float) - right.astype(float)
    total = (sign[:, None] * flow.flux[:n]).sum(0)
    outer = np.ones(mesh.n_faces - n, dtype=bool)
    outer[flow.wall_local] = False
    border = np.nonzero(outer & inside[mesh.left[n:]])[0] + n
    total = total + flow.flux[border].sum(0)
    slots = flow.flux[flow.wall][flow.is_blown, 0].sum()
    q = flow.stream.dynamic_pressure
    along, across = flow.stream.axes
    force = -share * total[2:4]
    if share != 1.0:
        force[1] = 0.0
    return {"lift": float(force @ across / q), "drag": float(force @ along / q),
            "mass": float((total[0] + slots) / flow.stream.mach), "reach": float(reach)}
