"""What a kind of campaign offers: a record of its functions, one for each kind, in a folder of its own.

`space` is the family of sheets that a campaign keeps to; a family may have several kinds (a nozzle's steady
flow and its jet in time), which share the family's sections. Nothing outside the folders asks which kind it
is.
"""
from collections.abc import Callable
from dataclasses import dataclass

from ...sheet import differing_inputs


@dataclass(frozen=True)
class Neighbourhood:
    """From which finished run of the same variant another operating point may start.

    Attributes
    ----------
    swept : frozenset of str
        Inputs in which the two may differ.
    away : callable
        away(air, other) says how far two operating points lie from each other.
    kept : {"field", "checkpoint"}
        What a run begins with: (Mesh, state) of the field, or the `Checkpoint` of its last step.
    """

    swept: frozenset
    away: Callable
    kept: str = "field"

    def obstacles(self, sheet, there):
        """Labels of the inputs in which two sheets differ and may not; nothing where one may start from the
        other."""
        if sheet.space != there.space:
            return ["Kind of campaign"]
        found = [label for path, label, *_ in differing_inputs(sheet, there) if path not in self.swept]
        return found or ([] if sheet.shape == there.shape else ["Shape"])


@dataclass(frozen=True)
class Kind:
    """One kind of campaign.

    Attributes
    ----------
    name, space : str
    prepare : callable
        prepare(sheet) makes everything a run needs but the grid; raises ShapeError or ValueError.
    preflight, estimate : callable
        preflight(setup) finds what is missing or unusual; estimate(setup, cost) says cells, time, memory and
        disk.
    default_cost : float
        Seconds per cell and step where this machine has not measured its own.
    cost_name : str
        Under which name a laboratory keeps what it has measured.
    channels : callable
        channels(setup) names what a run records by itself.
    begin : callable
        begin(sheet, resume, extra_steps, neighbour) gives the `Climb` that runs the sheet.
    measure_grid : callable
        measure_grid(mesh) gives the numbers of a grid's quality.
    files : callable
        files(run) gives {name: bytes} of a finished run.
    result : type
        The declared result.
    drawable : callable or None
        drawable(setup, mesh, state, mean) gives the `Drawable` of a plane field; None where fields are in
        space.
    is_spatial : bool
        Whether levels are of first order in space (see `trend`).
    reads_lines : bool
        Whether what a run reads along its walls are lines of several columns (else taps, or nothing).
    neighbourhood : Neighbourhood or None
        Where a run may start from another operating point.
    """

    name: str
    space: str
    prepare: Callable
    preflight: Callable
    estimate: Callable
    default_cost: float
    cost_name: str
    channels: Callable
    begin: Callable
    measure_grid: Callable
    files: Callable
    result: type
    drawable: Callable | None = None
    is_spatial: bool = False
    reads_lines: bool = False
    neighbourhood: Neighbourhood | None = None
