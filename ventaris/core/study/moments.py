"""What was recorded of a flow in time, made ready for streaklines."""
import numpy as np

from ..look.drawable import moment
from ..look.streaklines import Moments


def recorded(setup, mesh, picture, times, frames):
    """`Moments` of a run's frames.

    Parameters
    ----------
    setup : Setup
    mesh : Mesh
    picture : Drawable
        Of the same mesh.
    times : ndarray, shape (n,)
        In chords, or in the nozzle's unit over the speed of sound.
    frames : ndarray, shape (n, n_cells, 4)
    """
    moving, mach = getattr(setup, "moving", None), setup.stream.mach
    motion = moving.motion if moving else None
    turning = bool(moving and moving.circles)
    scale = setup.stream.column_scale[:4]
    # Sections stand in chords and count them; nozzles in metres, and count exit diameters at the speed of
    # sound.
    unit = setup.air.speed if setup.sheet.space == "section" else setup.air.speed_of_sound / setup.scale
    velocity = []
    for time, frame in zip(times, frames):
        turned = motion.angles(time / mach).tolist() if turning else ()
        values = moment(setup, mesh, frame.astype(float) * scale, None, {"u", "v"}, turned)
        velocity.append(np.stack([values["u"], values["v"]], axis=1) / unit)
    return Moments(
        picture, np.asarray(times, dtype=float), velocity,
        moving.period if moving and moving.period else None,
        None if turning or not moving else lambda points, time: motion.place(points, time / mach),
        (lambda time: motion.angles(time / mach)) if turning else None)
