"""From a run sheet to the things that are run."""
from .kinds.registry import kind_of


def prepare(sheet):
    """Build everything a run of a sheet needs but the grid; raises `ShapeError` or ValueError."""
    return kind_of(sheet).prepare(sheet)
