"""A sheet on the way to a run: every problem as (field, message), never a traceback."""
from ..grids.mesh import MeshError
from ..shapes.coordinates import ShapeError
from .preflight import Finding, preflight
from .setup import prepare


def examine(sheet):
    """Prepare a sheet and look it over.

    Returns
    -------
    setup : Setup or None
        None when the shape or the air cannot be made.
    findings : list of Finding
    """
    try:
        setup = prepare(sheet)
    except (ShapeError, MeshError, ValueError) as error:
        message = str(error)
        path = message.split(" ")[0].rstrip(":=") if message.startswith(("shape.", "air.", "grid.")) else "shape"
        return None, [Finding("stop", path, message)]
    return setup, preflight(setup)
