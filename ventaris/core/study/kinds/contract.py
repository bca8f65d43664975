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


def nothing(result, key):
    """(value, error) of a quantity that a result does not have."""
    return None, None


@dataclass(frozen=True)
class Quantities:
    """What the results of a family of campaigns are compared by.

    Attributes
    ----------
    words : dict
        {key: (label, what a smaller value means: "good", "bad" or "", decimals)}.
    headlines, by_level : tuple of (key, label, decimals)
        What a run shows large, and what its table by level holds.
    floors : tuple
        Values below which an error bar is not judged, see `verdict.wide_bars`.
    other : callable
        other(result, key) gives (value, error) of quantities that are no channels.
    reference : callable
        reference(result) gives the square metres that coefficients refer to, or None.
    fair : str
        The quantity that is ranked where reference areas differ; "" where none has any.
    best : tuple of (key, sign)
        What the best run has least of, times the sign; the drag becomes `fair` where areas differ.
    rather : tuple of (key, sign)
        What is ranked by before everything else where any result has it.
    next_best : tuple of (key, sign)
        What is ranked by where no result has that.
    rare : frozenset of str
        Quantities that are offered only where a result has them.
    own_unit : bool
        Whether forces come in a unit that the sheet chooses.
    """

    words: dict
    headlines: tuple
    by_level: tuple
    floors: tuple
    other: Callable = nothing
    reference: Callable = lambda result: None
    fair: str = ""
    best: tuple = ("drag", 1.0)
    rather: tuple = ()
    next_best: tuple = ()
    rare: frozenset = frozenset()
    own_unit: bool = False


@dataclass(frozen=True)
class Portrait:
    """What the shapes and operating points of a family look like to a person.

    Attributes
    ----------
    outline : callable
        outline(shape) gives closed loops to draw, or None where the shape cannot be built.
    words : callable
        words(shape) is one line that tells it from its siblings; shapes are sections of a sheet as dicts.
    point_words : callable
        point_words(setup or None, air) says an operating point in a few words.
    curves : tuple of (key, x label, y label, upside down)
        What a report draws of what is read along walls and lines.
    """

    outline: Callable
    words: Callable
    point_words: Callable
    curves: tuple = ()


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
    quantities : Quantities
        What its results are compared by.
    portrait : Portrait
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
    quantities: Quantities
    portrait: Portrait
    drawable: Callable | None = None
    is_spatial: bool = False
    reads_lines: bool = False
    neighbourhood: Neighbourhood | None = None
