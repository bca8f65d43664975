"""Arrays that come from elsewhere, looked over before they are stored: sizes first, then shapes, numbers and
indices.

Every function raises ValueError (or whatever reading damaged bytes raises) where something is wrong.
"""
import io
import zipfile

import numpy as np

from ..core.formats.surfaces import unpack_surface
from ..core.study.kinds.registry import FAMILIES
from ..core.study.progress import Checkpoint
from .body_fields import unpack_body_field
from .fields import unpack_field, unpack_frames, unpack_rows, unpack_taps

# What one array of a run may unpack to, and the largest step from packed to unpacked (arrays of real flows
# pack ten times at most, of nought more).
MOST_UNPACKED, MOST_GAIN = 1_500_000_000, 400
PNG = b"\x89PNG\r\n\x1a\n"
# State columns: pressure, temperature, velocity, closure.
PLANE_COLUMNS, SPACE_COLUMNS = range(4, 8), range(5, 9)
LARGEST = 1e12


def check_size(data, what):
    """That packed arrays do not unpack to more than a run can have."""
    with zipfile.ZipFile(io.BytesIO(data)) as packed:
        size = sum(item.file_size for item in packed.infolist())
    if size > MOST_UNPACKED or size > 1_000_000 + MOST_GAIN * len(data):
        raise ValueError(f"{what} unpacks to {size / 1e6:.0f} MB")


def check_array(kind, data, space):
    """Look over what a run keeps under a kind: field, taps, picture, frames or checkpoint."""
    if kind == "picture":
        if not data.startswith(PNG) or len(data) > 20_000_000:
            raise ValueError("the small picture is none")
        return
    check_size(data, kind)
    CHECKS[kind](data, space)


def _numbers(what, *arrays):
    for values in arrays:
        if values.dtype.kind not in "fiub" or not np.isfinite(values).all() or values.size and float(
                np.abs(values).max()) > LARGEST:
            raise ValueError(f"{what} holds something that is no number")


def _field(data, space):
    if FAMILIES[space].is_spatial:
        _body_field(data)
        return
    level, mesh, state = unpack_field(data)
    if not isinstance(level, str) or state.ndim != 2 or len(
            state) != mesh.n_cells or state.shape[1] not in PLANE_COLUMNS:
        raise ValueError("the field does not fit its grid")
    _numbers("the field", state, mesh.points)


def _body_field(data):
    found = unpack_body_field(data)
    cells, leaves = len(found.state), len(found.leaf_cell)
    if found.state.shape[1] not in SPACE_COLUMNS or len(found.tree.corner) != leaves or len(
            found.tree.width) != leaves or not cells or not leaves:
        raise ValueError("the field does not fit its grid")
    if found.leaf_cell.min() < -1 or found.leaf_cell.max() >= cells:
        raise ValueError("the grid points at cells that are not there")
    reach = np.asarray(found.tree.counts, dtype=float)
    if found.tree.step <= 0 or found.tree.corner.min() < 0 or (found.tree.corner.max(
            axis=0) > reach * found.tree.width.max()).any() or found.tree.width.max() > 2**40:
        raise ValueError("the grid reaches beyond its box")
    walls = {
        len(found.wall_centre),
        len(found.wall_normal),
        len(found.wall_shear), *(len(v) for v in found.wall_values.values())
    }
    if len(walls) != 1 or "cp" not in found.wall_values:
        raise ValueError("the readings on the wall are not of one length")
    _numbers("the field", found.state, found.wall_centre, found.wall_normal, found.wall_shear,
             *found.wall_values.values())
    if found.mean is not None:
        if len(found.mean) != cells:
            raise ValueError("the mean does not fit the grid")
        _numbers("the mean", found.mean)


def _taps(data, space):
    if FAMILIES[space].reads_lines:
        for columns in unpack_rows(data).values():
            if len({len(v) for v in columns.values()}) != 1:
                raise ValueError("the curves are not of one length")
            for values in columns.values():
                if np.isinf(values).any():
                    raise ValueError("the curves hold something that is no number")
        return
    taps = unpack_taps(data)
    if not isinstance(taps.surface, list) or {
            len(taps.x), len(taps.y), len(taps.cp),
            len(taps.cf), len(taps.mach)
    } != {len(taps.surface)}:
        raise ValueError("the tap readings are not of one length")
    _numbers("the tap readings", taps.x, taps.y, taps.cp, taps.cf, taps.mach)


def _frames(data, space):
    times, frames, mean = unpack_frames(data)
    if frames.ndim != 3 or len(times) != len(frames) or not len(times):
        raise ValueError("the moments are not as many as their times")
    _numbers("the moments", times, frames.astype(np.float32))
    if mean is not None:
        _numbers("the mean", mean)


def _checkpoint(data, space):
    found = Checkpoint.from_bytes(data)
    _numbers("the checkpoint", found.state)


CHECKS = {"field": _field, "taps": _taps, "frames": _frames, "checkpoint": _checkpoint}


def check_surface(data):
    """Look over a packed surface."""
    check_size(data, "a surface")
    found = unpack_surface(data)
    if found.vertices.ndim != 2 or found.vertices.shape[
            1] != 3 or found.triangles.ndim != 2 or found.triangles.shape[1] != 3 or not len(found.triangles):
        raise ValueError("a surface is not made of triangles")
    if found.triangles.min() < 0 or found.triangles.max() >= len(found.vertices):
        raise ValueError("a surface points at corners that are not there")
    for index, names in ((found.part, found.parts), (found.patch, found.patches)):
        if len(index) != len(found.triangles) or index.min() < 0 or index.max() >= len(names) or not all(
                isinstance(n, str) for n in names):
            raise ValueError("a surface points at parts that are not there")
    _numbers("a surface", found.vertices)
