"""Solid models in STEP (ISO 10303-21), the open standard: their parts and faces as triangles.

They are read by a process of their own (`step_pieces`): on one damaged file in four the geometry kernel falls
over.
"""
import io
import json
import subprocess
import sys

import numpy as np

from ..shapes.surface import SurfaceError
from .step_pieces import ARRAYS, DAMAGED


def pieces_of_step(data):
    """What a STEP file holds.

    Parameters
    ----------
    data : bytes

    Returns
    -------
    list of tuples (name, vertices, triangles, patch, patches)
        Of every solid, or of all loose faces together: vertices in metres, shape (n, 3); for every triangle
        the index of its named face in `patches`. Faces without a name share the part's.

    Raises
    ------
    SurfaceError
    """
    if not data.lstrip()[:13].upper().startswith(b"ISO-10303-21;"):
        raise SurfaceError("The file does not begin with ISO-10303-21: it is no STEP file. Export it again.")
    done = subprocess.run([sys.executable, "-m", "ventaris.core.formats.step_pieces"], input=data,
                          capture_output=True, check=False)
    if b"ImportError" in done.stderr:
        raise SurfaceError(
            "Reading STEP files needs libraries that are not on this machine. On Debian: apt-get install "
            "libgl1 libx11-6. Or export the surface as STL, OBJ, PLY or GLB."
        )
    if done.returncode or not done.stdout:
        raise SurfaceError(DAMAGED)
    with np.load(io.BytesIO(done.stdout), allow_pickle=False) as stored:
        head = json.loads(bytes(stored["head"]))
        if isinstance(head, str):
            raise SurfaceError(head)
        return [(name, *(stored[f"{what}{k}"] for what in ARRAYS), patches)
                for k, (name, patches) in enumerate(head)]
