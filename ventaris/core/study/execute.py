"""Run a sheet, of whatever kind it is."""
from .kinds.registry import kind_of
from .progress import Checkpoint


def execute(sheet, resume=None, extra_steps=0, neighbour=None):
    """Run a sheet.

    Parameters
    ----------
    sheet : Sheet, BodySheet or NozzleSheet
    resume : Checkpoint or bytes or None
    neighbour : tuple (Mesh, state) or Checkpoint or None
        What is kept of a finished run to start from, for kinds that have a `Neighbourhood`.

    Returns
    -------
    Climb
        Iterate over it; afterwards its `result` holds the answer.

    Raises
    ------
    SheetError, ShapeError, MeshError
        Before anything is computed.
    RunFailed
        From the iteration, when the flow cannot be computed.
    """
    if isinstance(resume, (bytes, bytearray, memoryview)):
        resume = Checkpoint.from_bytes(bytes(resume))
    kind = kind_of(sheet)
    more = {"neighbour": neighbour} if kind.neighbourhood else {}
    return kind.begin(sheet, resume, extra_steps, **more)
