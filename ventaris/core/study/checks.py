"""A sheet on the way to a run: every problem as (field, message), never a traceback."""
from ..grids.mesh import MeshError
from ..shapes.coordinates import ShapeError
from . import body_checks, preflight
from .findings import Finding
from .setup import prepare

SECTIONS = ("shape.", "air.", "grid.", "domain.", "instruments.")


def examine(sheet):
    """Prepare a sheet and look it over.

    Parameters
    ----------
    sheet : Sheet or BodySheet

    Returns
    -------
    setup : Setup, BodySetup or None
        None when the shape or the air cannot be made.
    findings : list of Finding
    """
    try:
        setup = prepare(sheet)
        return setup, body_checks.preflight_body(setup) if sheet.space == "body" else preflight.preflight(setup)
    except (ShapeError, MeshError, ValueError) as error:
        message = str(error)
        path = message.split(" ")[0].rstrip(":=") if message.startswith(SECTIONS) else "shape"
        return None, [Finding("stop", path, message)]


def estimate(setup, cost=None):
    """Cells, time, memory and disk of a climb; `cost` in seconds per cell and step as measured on this machine, or None."""
    own = body_checks if setup.sheet.space == "body" else preflight
    return (own.estimate_body if own is body_checks else own.estimate)(setup, cost or own.DEFAULT_COST)
