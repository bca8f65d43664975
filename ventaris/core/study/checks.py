"""A sheet on the way to a run: every problem as (field, message), never a traceback."""
from ..grids.embedded import mesh_quality
from ..grids.mesh import MeshError
from ..grids.quality import measure_quality
from ..shapes.coordinates import ShapeError
from . import body_checks, nozzle_verdict, preflight
from .findings import Finding
from .setup import prepare

SECTIONS = ("shape.", "air.", "grid.", "domain.", "instruments.")
PREFLIGHTS = {"section": preflight.preflight, "body": body_checks.preflight_body, "nozzle": nozzle_verdict.preflight_nozzle}
ESTIMATES = {"section": (preflight.estimate, preflight.DEFAULT_COST), "body": (body_checks.estimate_body, body_checks.DEFAULT_COST),
             "nozzle": (nozzle_verdict.estimate_nozzle, nozzle_verdict.DEFAULT_COST)}


def examine(sheet):
    """Prepare a sheet and look it over.

    Parameters
    ----------
    sheet : Sheet, BodySheet or NozzleSheet

    Returns
    -------
    setup : Setup, BodySetup, NozzleSetup or None
        None when the shape or the air cannot be made.
    findings : list of Finding
    """
    try:
        setup = prepare(sheet)
        return setup, PREFLIGHTS[sheet.space](setup)
    except (ShapeError, MeshError, ValueError) as error:
        message = str(error)
        path = message.split(" ")[0].rstrip(":=") if message.startswith(SECTIONS) else "shape"
        return None, [Finding("stop", path, message)]


def quality_of_grids(setup):
    """Make every level's grid and measure it: {"levels": {level: measures}, "notes": [...]}; raises `MeshError`."""
    meshes = setup.generate()
    if setup.sheet.space == "body":
        return {"levels": {name: mesh_quality(mesh) for name, mesh in meshes.items()}, "notes": [note for mesh in meshes.values() for note in mesh.notes]}
    return {"levels": {name: measure_quality(mesh).as_dict() for name, mesh in meshes.items()}, "notes": []}


def estimate(setup, cost=None):
    """Cells, time, memory and disk of a climb, or None where nothing can be run; `cost` in seconds per cell and step as measured on this machine, or None."""
    compute, default = ESTIMATES[setup.sheet.space]
    return compute(setup, cost or default)
