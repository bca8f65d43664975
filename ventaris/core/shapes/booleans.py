"""Cutting and uniting closed surfaces: exact set operations on solids by a library, names kept.

Every named surface of every part goes in as a run of triangles of its own, and each triangle that comes out
says of which run it is.
"""
import manifold3d
import numpy as np

from .surface import Surface, SurfaceError, welded

# What the faces are called that a plane leaves.
CUT = "cut"


def united(surfaces):
    """Closed surfaces as one, without what lies within: the named surfaces stay, the part is the first one's.

    Raises
    ------
    SurfaceError
        Of a part that is not closed.
    """
    return _combined(surfaces, manifold3d.OpType.Add)


def cut_out(surface, tool):
    """What is left of a closed surface without another; the walls of the hollow carry the other's names.

    Raises
    ------
    SurfaceError
        Of a part that is not closed, or when nothing would be left or cut.
    """
    out = _combined([surface, tool], manifold3d.OpType.Subtract)
    if abs(out.volume.sum() - surface.volume.sum()) < 1e-12 * abs(surface.volume.sum()):
        raise SurfaceError(f"shape.edits: “{tool.parts[0]}” does not reach into “{surface.parts[0]}”: there "
                           "is nothing to cut out. Move it, or take the edit out.")
    return out


def halved(surface, normal, offset):
    """What of a closed surface of one part lies on the side of a plane to which its normal does not point;
    the new faces are a named surface of their own. None where nothing does.

    Parameters
    ----------
    normal : sequence of float
    offset : float
        The plane holds the points whose product with the unit normal is this.
    """
    runs = _Runs([surface])
    normal = np.asarray(normal, dtype=float)
    kept = runs.solids[0].trim_by_plane(tuple(-normal), -offset)
    return None if kept.is_empty() else runs.read(kept, f"{surface.parts[0]} {CUT}")


def _combined(surfaces, operation):
    runs = _Runs(surfaces)
    made = manifold3d.Manifold.batch_boolean(runs.solids, operation)
    if made.is_empty():
        raise SurfaceError(f"shape.edits: nothing is left of “{surfaces[0].parts[0]}”. Cut less out of it.")
    return runs.read(made, f"{surfaces[0].parts[0]} {CUT}")


class _Runs:
    """Surfaces as solids, and the names of their runs of triangles."""

    def __init__(self, surfaces):
        self.part, self.patches, self.names, self.solids = surfaces[0].parts[0], [], {}, []
        for surface in surfaces:
            self.solids.append(self._solid(surface))

    def _solid(self, surface):
        surface = welded(surface, 1e-7)
        order = np.argsort(surface.patch, kind="stable")
        triangles, patch = surface.triangles[order], surface.patch[order]
        used, first = np.unique(patch, return_index=True)
        start = manifold3d.Manifold.reserve_ids(len(used))
        for k, number in enumerate(used):
            name = surface.patches[number]
            if name not in self.patches:
                self.patches.append(name)
            self.names[start + k] = self.patches.index(name)
        mesh = manifold3d.Mesh64(
            np.ascontiguousarray(surface.vertices), triangles.astype(np.uint64),
            run_index=np.append(3 * first, 3 * len(triangles)).astype(np.uint64),
            run_original_id=np.arange(start, start + len(used), dtype=np.uint32))
        solid = manifold3d.Manifold(mesh)
        if solid.status() != manifold3d.Error.NoError or solid.is_empty():
            raise SurfaceError(
                f"shape.edits: “{surface.parts[0]}” is not closed, or crosses itself at an edge: it cannot "
                "be cut or united. Close its holes first (an edit before this one), or bring in a closed "
                "surface.")
        return solid if solid.volume() > 0 else self._solid(surface.inverted())

    def read(self, solid, fresh):
        """A solid as a surface of one part; faces of no run carry a name of their own."""
        mesh = solid.to_mesh64()
        bounds = np.asarray(mesh.run_index, dtype=np.int64) // 3
        patches, number = [*self.patches], np.zeros(len(mesh.tri_verts), dtype=np.int64)
        for low, high, run in zip(bounds, bounds[1:], np.asarray(mesh.run_original_id).tolist()):
            if run not in self.names and fresh not in patches:
                patches.append(fresh)
            number[low:high] = self.names.get(run, len(patches) - 1)
        used, patch = np.unique(number, return_inverse=True)
        vertices = np.array(mesh.vert_properties[:, :3], dtype=float)
        triangles = np.array(mesh.tri_verts, dtype=np.int64)
        return Surface(vertices, triangles, np.zeros(len(triangles), dtype=np.int64), patch.ravel(),
                       (self.part, ), tuple(patches[k] for k in used))
