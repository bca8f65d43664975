"""A sheet on the way to a run: every problem as (field, message), never a traceback."""
from dataclasses import replace

import numba

from ..grids.mesh import MeshError
from ..shapes.coordinates import ShapeError
from .findings import Finding
from .kinds.registry import kind_of

# How much faster the loops are on twice the cores, as a power of two; and how much of the disk what is kept
# takes, as measured on demo runs.
SPEED_UP = 0.8
OF_DISK = {"all": 1.0, "fields": 0.5, "numbers": 0.1}
SECTIONS = ("shape.", "air.", "grid.", "domain.", "instruments.")


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
        kind = kind_of(sheet)
        setup = kind.prepare(sheet)
        return setup, kind.preflight(setup)
    except (ShapeError, MeshError, ValueError) as error:
        message = str(error)
        path = message.split(" ")[0].rstrip(":=") if message.startswith(SECTIONS) else "shape"
        return None, [Finding("stop", path, message)]


def quality_of_grids(setup):
    """Make every level's grid and measure it: {"levels": {level: measures}, "notes": [...]}; raises
    `MeshError`."""
    meshes, measure = setup.generate(), kind_of(setup.sheet).measure_grid
    levels = {
        name: found if isinstance(found := measure(mesh), dict) else found.as_dict()
        for name, mesh in meshes.items()
    }
    return {
        "levels": levels, "notes": [note for mesh in meshes.values() for note in getattr(mesh, "notes", ())]
    }


def estimate(setup, cost=None):
    """Cells, time, memory and disk of a climb, or None where nothing can be run; `cost` in seconds per cell
    and step as measured on this machine, or None."""
    kind, run = kind_of(setup.sheet), setup.sheet.run
    found = kind.estimate(setup, cost or kind.default_cost)
    if found is None:
        return None
    share = run.cores / max(numba.config.NUMBA_NUM_THREADS, 1)
    slower = share**-SPEED_UP if 0 < share < 1 else 1.0
    return replace(found, seconds=found.seconds * slower, disk_mb=found.disk_mb * OF_DISK[run.keep])
