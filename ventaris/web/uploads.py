"""Uploads are parsed in a child process with limits on memory and time."""
import json
import subprocess
import sys

from ..core.formats.surfaces import KINDS
from ..core.grids.mesh import MeshError
from ..core.sheet import SheetError, write_toml
from ..core.study.checks import quality_of_grids
from ..store.archive import ArchiveError

SECONDS = 20
SURFACE_SECONDS = 90
ARCHIVE_SECONDS = 120
# Cells on all levels up to which grids are made in the server itself, and beyond which they are not made for
# a page.
GRIDDED_HERE, MOST_GRIDDED, GRID_SECONDS = 40_000, 2_000_000, 120


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
    try:
        done = subprocess.run([sys.executable, "-m", "ventaris.worker.parse", kind], input=data,
                              capture_output=True, timeout=SECONDS, check=False)
    except subprocess.TimeoutExpired:
        raise SheetError([
            ("file", f"Reading the file took longer than {SECONDS} s and was given up. Thin it out.")
        ]) from None
    try:
        answer = json.loads(done.stdout)
    except ValueError:
        raise SheetError([("file", "The file could not be read within the memory allowed. Thin it out.")
                          ]) from None
    if "error" in answer:
        raise SheetError([("file", answer["error"])])
    return answer


def check_archive(data):
    """Look a campaign archive over in a child process; raises `ArchiveError`."""
    try:
        done = subprocess.run([sys.executable, "-m", "ventaris.worker.parse", "archive"], input=data,
                              capture_output=True, timeout=ARCHIVE_SECONDS, check=False)
    except subprocess.TimeoutExpired:
        raise ArchiveError(
            f"Reading the archive took longer than {ARCHIVE_SECONDS} s and was given up. Export the campaign "
            "in smaller parts.") from None
    if done.stdout[:1] != b"S":
        raise ArchiveError(
            done.stdout[1:].decode(errors="replace") if done.stdout[:1] ==
            b"E" else "The archive could not be read within the memory allowed. Export the campaign again.")


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
    try:
        done = subprocess.run([sys.executable, "-m", "ventaris.worker.parse", "grid",
                               str(folder)], input=write_toml(setup.sheet).encode(), capture_output=True,
                              timeout=GRID_SECONDS, check=False)
    except subprocess.TimeoutExpired:
        raise MeshError(
            f"Making the grids took longer than {GRID_SECONDS} s and was given up. Take larger cells."
        ) from None
    try:
        answer = json.loads(done.stdout)
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
             f"A file of kind “{kind[:12]}”: surfaces are read from {', '.join(k.upper() for k in KINDS)}. "
             "Export it as one of these.")
        ])
    try:
        done = subprocess.run([sys.executable, "-m", "ventaris.worker.parse", f"surface-{kind}"], input=data,
                              capture_output=True, timeout=SURFACE_SECONDS, check=False)
    except subprocess.TimeoutExpired:
        raise SheetError([
            ("file",
             f"Reading the surface took longer than {SURFACE_SECONDS} s and was given up. Simplify it to "
             "fewer triangles.")
        ]) from None
    if done.stdout[:1] == b"S":
        return done.stdout[1:]
    message = "The surface could not be read within the memory allowed. Simplify it to fewer triangles."
    if done.stdout[:1] == b"E":
        message = done.stdout[1:].decode()
    raise SheetError([("file", message)])
