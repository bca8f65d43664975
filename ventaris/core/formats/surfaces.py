"""Surfaces in open formats: triangles as STL, OBJ, PLY and GLB, in and out, and solids in STEP, in."""
import io
import json
import zipfile

import numpy as np

from ..shapes.naming import smooth_pieces
from ..shapes.surface import Surface, SurfaceError, free_name, welded
from .solids import pieces_of_step
from .surface_checks import checked_bytes

KINDS, SOLIDS = ("stl", "obj", "ply", "glb", "step", "stp"), ("step", "stp")
READ = "STL, OBJ, PLY, GLB and STEP"
MOST_TRIANGLES = 4_000_000
# Largest coordinate, in whatever unit a file has.
FARTHEST = 1e7
UNITS = {"m": 1.0, "mm": 1e-3, "cm": 1e-2, "in": 0.0254, "ft": 0.3048}
AXES = {
    "+x": (1, 0, 0), "-x": (-1, 0, 0), "+y": (0, 1, 0), "-y": (0, -1, 0), "+z": (0, 0, 1), "-z": (0, 0, -1)
}


def read_surface(data, kind):
    """Read a file.

    Parameters
    ----------
    data : bytes
    kind : {"stl", "obj", "ply", "glb", "step", "stp"}

    Returns
    -------
    Surface
        In the file's own unit and axes, of a STEP file in metres; parts and surfaces under the file's own
        names.

    Raises
    ------
    SurfaceError
    """
    if kind not in KINDS:
        raise SurfaceError(
            f"The file ends in “.{kind[:12]}”. Surfaces are read from {READ} files.")
    data = checked_bytes(data, kind)
    try:
        pieces = pieces_of_step(data) if kind in SOLIDS else list(_pieces(data, kind))
    except SurfaceError:
        raise
    except MemoryError:
        raise SurfaceError(
            "Reading the file took more memory than is allowed. Simplify the surface first.") from None
    except Exception as error:
        raise SurfaceError(
            f"The file cannot be read as {kind.upper()}: {str(error)[:160] or type(error).__name__}. Is it "
            "damaged, or of another kind? Export it again."
        ) from None
    if not pieces:
        raise SurfaceError("The file holds no triangles. Export the surface as a mesh.")
    return _assembled(pieces)


def _pieces(data, kind):
    """(name, vertices, triangles, patch, patches) of everything in a scene, placed; each is one patch."""
    import trimesh
    scene = trimesh.load_scene(io.BytesIO(data), file_type=kind, process=False, skip_materials=True)
    for node in scene.graph.nodes_geometry:
        matrix, geometry = scene.graph[node]
        mesh = scene.geometry[geometry]
        if not hasattr(mesh, "faces") or len(mesh.faces) == 0:
            continue
        with np.errstate(all="ignore"):
            # Corners that are no numbers are told later, by name.
            vertices = np.asarray(mesh.vertices, dtype=float) @ matrix[:3, :3].T + matrix[:3, 3]
        plain = node if node not in ("world", ) and not node.startswith("geometry") else "body"
        yield plain, vertices, np.asarray(mesh.faces, dtype=np.int64), 0, [plain]


def _assembled(pieces):
    total = sum(len(piece[2]) for piece in pieces)
    if total > MOST_TRIANGLES:
        raise SurfaceError(
            f"The file holds {total:,} triangles; at most {MOST_TRIANGLES:,} are taken. Simplify the surface "
            "first."
        )
    vertices, triangles, part, patch, names, patches, offset = [], [], [], [], [], [], 0
    for k, (name, points, faces, own, labels) in enumerate(pieces):
        if faces.ndim != 2 or faces.shape[1] != 3 or points.ndim != 2 or points.shape[1] != 3:
            raise SurfaceError(
                "The file's faces are not triangles with corners in space. Export it again, as triangles.")
        if len(faces) and (faces.min() < 0 or faces.max() >= len(points)):
            raise SurfaceError(
                "A triangle of the file names corner "
                f"{int(faces.max() if faces.max() >= len(points) else faces.min())}, and there are "
                f"{len(points)} of them. Export it again."
            )
        vertices.append(points)
        triangles.append(faces + offset)
        part.append(np.full(len(faces), k))
        patch.append(np.zeros(len(faces), dtype=np.int64) + own + len(patches))
        names.append(free_name(_plain(name), names))
        patches += [free_name(_plain(label), patches) for label in labels]
        offset += len(points)
    vertices, triangles, part, patch = (np.concatenate(x) for x in (vertices, triangles, part, patch))
    bad = ~np.isfinite(vertices).all(axis=1)
    if bad[triangles].any():
        faulty = int(bad[triangles].any(axis=1).sum())
        raise SurfaceError(
            f"{faulty} triangles have corners that are not numbers (NaN or infinite). Export the file again.")
    used = vertices[triangles.ravel()]
    if not len(used) or float(np.abs(used).max()) > FARTHEST:
        raise SurfaceError(
            f"The surface reaches to {float(np.abs(used).max()) if len(used) else 0:.2g} of the file's "
            "units: its numbers are damaged. Export the file again."
        )
    # Corners that no triangle uses may be anything.
    vertices[bad] = 0.0
    vertices = np.clip(vertices, -FARTHEST, FARTHEST)
    out = welded(Surface(vertices, triangles, part, patch, tuple(names), tuple(patches)))
    if not len(out.triangles):
        raise SurfaceError(
            "No triangle of the file has an area: a damaged corner far away makes all others coincide. "
            "Export the file again."
        )
    return out


def _plain(name):
    return " ".join(name.split())[:40] or "body"


def placed(surface, unit="m", downstream="+x", up="+z"):
    """A surface brought into metres and Ventaris's axes.

    Parameters
    ----------
    unit : str
        Of the file.
    downstream, up : str
        The file's axes that point along the stream and up.
    """
    x, z = np.array(AXES[downstream], dtype=float), np.array(AXES[up], dtype=float)
    if abs(x @ z) > 0.5:
        raise SurfaceError(
            f"shape.parts: downstream ({downstream}) and up ({up}) are the same axis of the file. Choose two "
            "different ones."
        )
    matrix = np.stack([x, np.cross(z, x), z]) * UNITS[unit]
    return surface.moved(matrix)


def split_at_edges(surface, angle=35.0):
    """Every part's surface divided where it turns by more than an angle; the pieces are numbered by size."""
    label = smooth_pieces(surface, angle)
    patch, names = np.zeros(len(surface.triangles), dtype=np.int64), []
    for p, part in enumerate(surface.parts):
        inside = surface.part == p
        pieces, where = np.unique(label[inside], return_inverse=True)
        area = np.bincount(where, surface.areas[inside])
        rank = np.empty(len(pieces), dtype=np.int64)
        rank[np.argsort(area)[::-1]] = np.arange(len(pieces))
        # Dozens of slivers help nobody: the smallest share one name.
        rank = np.minimum(rank, 11)
        patch[inside] = len(names) + rank[where]
        names += [f"{part} {k + 1}" if len(pieces) > 1 else part for k in range(min(len(pieces), 12))]
    return Surface(surface.vertices, surface.triangles, surface.part, patch, surface.parts, tuple(names))


def pack_surface(surface):
    """A surface as compressed bytes, for the store."""
    out = io.BytesIO()
    head = json.dumps({"parts": surface.parts, "patches": surface.patches})
    arrays = {
        "vertices": surface.vertices.astype("<f8"), "triangles": surface.triangles.astype("<i4"),
        "part": surface.part.astype("<i4"), "patch": surface.patch.astype("<i4"),
        "head": np.frombuffer(head.encode(), dtype=np.uint8)
    }
    # As numpy's own compressed archives, but lightly: the usual level takes longer than reading the file did.
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        for name, values in arrays.items():
            with archive.open(zipfile.ZipInfo(f"{name}.npy", (2000, 1, 1, 0, 0, 0)), "w",
                              force_zip64=True) as entry:
                np.lib.format.write_array(entry, np.ascontiguousarray(values))
    return out.getvalue()


def unpack_surface(data):
    """What `pack_surface` wrote."""
    with np.load(io.BytesIO(data), allow_pickle=False) as stored:
        head = json.loads(bytes(stored["head"]))
        return Surface(stored["vertices"], stored["triangles"].astype(np.int64),
                       stored["part"].astype(np.int64), stored["patch"].astype(np.int64),
                       tuple(head["parts"]), tuple(head["patches"]))


def write_surface(surface, kind):
    """A surface as a file: STL (binary), OBJ, PLY or GLB with its parts."""
    import trimesh
    scene = trimesh.Scene()
    for p, name in enumerate(surface.parts):
        one = surface.only(surface.part == p)
        scene.add_geometry(trimesh.Trimesh(one.vertices, one.triangles, process=False), geom_name=name,
                           node_name=name)
    if kind == "glb":
        return scene.export(file_type="glb")
    mesh = trimesh.Trimesh(surface.vertices, surface.triangles, process=False)
    data = mesh.export(file_type=kind)
    return data.encode() if isinstance(data, str) else data
