"""Uploads are parsed in a child process with limits on memory and time."""
import json
import signal
import subprocess
import sys

from ..core.formats.surfaces import KINDS, READ
from ..core.grids.mesh import MeshError
from ..core.sheet import SheetError, write_toml
from ..core.study.checks import quality_of_grids
from ..store.archive import ArchiveError

# The parser has a limit on its processor time; by the clock it gets more: the machine may be busy with runs.
SECONDS = 90
SURFACE_SECONDS = 180
ARCHIVE_SECONDS = 240
# Cells on all levels up to which grids are made in the server itself, and beyond which they are not made for
# a page.
GRIDDED_HERE, MOST_GRIDDED, GRID_SECONDS = 40_000, 2_000_000, 240


def parse_upload(kind, data):
    """Parse an upload in a child process.

    Parameters
    ----------
    kind : {"coordinates", "contour", "measured"}
    data : bytes

    Returns
    -------
    dict

    Raises
    ------
    SheetError
        With the parser's own message, or that it took too much time or memory.
    """
    out = _parse([kind], data, SECONDS)
    if out is None:
        raise SheetError([("file", "Reading the file took too long and was given up. Thin it out.")])
    try:
        answer = json.loads(out)
    except ValueError:
        raise SheetError([("file", "The file could not be read within the memory allowed. Thin it out.")
                          ]) from None
    if "error" in answer:
        raise SheetError([("file", answer["error"])])
    return answer


def check_archive(data):
    """Look a campaign archive over in a child process; raises `ArchiveError`."""
    out = _parse(["archive"], data, ARCHIVE_SECONDS)
    if out is None:
        raise ArchiveError(
            "Reading the archive took too long and was given up. Export the campaign in smaller parts.")
    if out[:1] == b"E":
        raise ArchiveError(out[1:].decode(errors="replace"))
    if out[:1] != b"S":
        raise ArchiveError(
            "The archive could not be read within the memory allowed. Export the campaign again.")


def measure_grid(setup, folder):
    """Make the grids of a prepared sheet and measure them, large ones in a child process that gives its
    memory back.

    Returns
    -------
    dict
        ``levels`` (quality by level) and ``notes``.

    Raises
    ------
    MeshError
    """
    cells = sum(setup.cells(level) for level in setup.levels)
    if cells > MOST_GRIDDED:
        raise MeshError(
            f"About {cells:,} cells on all levels: too many to be made for this page, which stops at "
            f"{MOST_GRIDDED:,}. Take larger cells or a smaller budget, or run the sheet.".replace(",", " "))
    if cells < GRIDDED_HERE:
        return quality_of_grids(setup)
    out = _parse(["grid", str(folder)], write_toml(setup.sheet).encode(), GRID_SECONDS)
    if out is None:
        raise MeshError("Making the grids took too long and was given up. Take larger cells.")
    try:
        answer = json.loads(out)
    except ValueError:
        raise MeshError("The grids could not be made within the memory allowed. Take larger cells.") from None
    if "error" in answer:
        raise MeshError(answer["error"])
    return answer


def parse_surface(kind, data):
    """Packed bytes of an uploaded surface, read in a child process; raises SheetError."""
    if kind not in KINDS:
        raise SheetError([
            ("file",
             f"A file of kind “{kind[:12]}”: surfaces are read from {READ}. "
             "Export it as one of these.")
        ])
    out = _parse([f"surface-{kind}"], data, SURFACE_SECONDS)
    if out is None:
        raise SheetError([
            ("file", "Reading the surface took too long and was given up. Simplify it to fewer triangles.")
        ])
    if out[:1] == b"S":
        return out[1:]
    message = "The surface could not be read within the memory allowed. Simplify it to fewer triangles."
    if out[:1] == b"E":
        message = out[1:].decode()
    raise SheetError([("file", message)])


def _parse(arguments, data, seconds):
    """What the parser's process printed; None where it ran out of time, its own or by the clock."""
    try:
        done = subprocess.run([sys.executable, "-m", "ventaris.worker.parse", *arguments], input=data,
                              capture_output=True, timeout=seconds, check=False)
    except subprocess.TimeoutExpired:
        return None
    return None if done.returncode == -signal.SIGXCPU else done.stdout
