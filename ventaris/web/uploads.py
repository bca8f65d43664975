"""Uploads are parsed in a child process with limits on memory and time."""
import json
import subprocess
import sys

from ..core.formats.surfaces import KINDS
from ..core.sheet import SheetError
from ..store.archive import ArchiveError

SECONDS = 20
SURFACE_SECONDS = 90
ARCHIVE_SECONDS = 120


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
        done = subprocess.run([sys.executable, "-m", "ventaris.worker.parse", kind], input=data, capture_output=True, timeout=SECONDS, check=False)
    except subprocess.TimeoutExpired:
        raise SheetError([("file", f"Reading the file took longer than {SECONDS} s and was given up. Thin it out.")]) from None
    try:
        answer = json.loads(done.stdout)
    except ValueError:
        raise SheetError([("file", "The file could not be read within the memory allowed. Thin it out.")]) from None
    if "error" in answer:
        raise SheetError([("file", answer["error"])])
    return answer


def check_archive(data):
    """Look a campaign archive over in a child process; raises `ArchiveError`."""
    try:
        done = subprocess.run([sys.executable, "-m", "ventaris.worker.parse", "archive"], input=data, capture_output=True, timeout=ARCHIVE_SECONDS, check=False)
    except subprocess.TimeoutExpired:
        raise ArchiveError(f"Reading the archive took longer than {ARCHIVE_SECONDS} s and was given up. Export the campaign in smaller parts.") from None
    if done.stdout[:1] != b"S":
        raise ArchiveError(done.stdout[1:].decode(errors="replace") if done.stdout[:1] == b"E" else "The archive could not be read within the memory allowed. Export the campaign again.")


def parse_surface(kind, data):
    """Packed bytes of an uploaded surface, read in a child process; raises SheetError."""
    if kind not in KINDS:
        raise SheetError([("file", f"A file of kind “{kind[:12]}”: surfaces are read from {', '.join(k.upper() for k in KINDS)}. Export it as one of these.")])
    try:
        done = subprocess.run([sys.executable, "-m", "ventaris.worker.parse", f"surface-{kind}"], input=data, capture_output=True, timeout=SURFACE_SECONDS, check=False)
    except subprocess.TimeoutExpired:
        raise SheetError([("file", f"Reading the surface took longer than {SURFACE_SECONDS} s and was given up. Simplify it to fewer triangles.")]) from None
    if done.stdout[:1] == b"S":
        return done.stdout[1:]
    message = done.stdout[1:].decode() if done.stdout[:1] == b"E" else "The surface could not be read within the memory allowed. Simplify it to fewer triangles."
    raise SheetError([("file", message)])
