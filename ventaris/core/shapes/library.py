"""Where imported surfaces come from: files beside a sheet, or whoever keeps them."""
import functools
import hashlib
from pathlib import Path

from ..formats.surfaces import KINDS, READ, read_surface, unpack_surface
from .surface import SurfaceError

MARK = "kept:"
LARGEST_FILE = 200_000_000


class Library:
    """Finds surfaces by the `source` of a part.

    Attributes
    ----------
    fetch : callable or None
        From the key behind "kept:" to packed bytes, or None where it has no such surface.
    folder : Path or None
        Where files are looked for; None forbids files.
    """
    def __init__(self):
        self.fetch, self.folder = None, None

    def surface(self, source):
        """The surface of a source, in its file's unit and axes; raises SurfaceError."""
        if source.startswith(MARK):
            found = self.fetch(source[len(MARK):]) if self.fetch else None
            if found is None:
                raise SurfaceError(
                    f"shape.parts: the imported surface “{source}” is not here. Import its file again.")
            return _unpacked(bytes(found))
        path = Path(source)
        if self.folder is None or path.is_absolute() or ".." in path.parts:
            raise SurfaceError(
                f"shape.parts: “{source}” is not an imported surface. Import the file; on the command line "
                "it must lie beside the sheet."
            )
        path = self.folder / path
        if not path.is_file():
            raise SurfaceError(f"shape.parts: there is no file “{source}” beside the sheet.")
        if path.stat().st_size > LARGEST_FILE:
            raise SurfaceError(
                f"shape.parts: “{source}” is larger than {LARGEST_FILE // 1_000_000} MB. Simplify the "
                "surface first."
            )
        return _read(path, path.stat().st_mtime)


@functools.lru_cache(maxsize=8)
def _unpacked(data):
    return unpack_surface(data)


@functools.lru_cache(maxsize=8)
def _read(path, changed):
    kind = path.suffix.lower().lstrip(".")
    if kind not in KINDS:
        raise SurfaceError(f"shape.parts: “{path.name}” is none of {READ}, which surfaces are read from.")
    return read_surface(path.read_bytes(), kind)


def key_of(packed):
    """A short key of packed bytes."""
    return hashlib.sha256(packed).hexdigest()[:16]


library = Library()
