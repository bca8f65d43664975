"""Surface files looked over before a reader gets them: letters, lengths and counts that do not fit the file.

A reader believes what a header says: a few kilobytes can ask it for gigabytes.
"""
import json
import re
import struct

from ..shapes.surface import SurfaceError

AGAIN = "Export the file again."
# Bytes of a triangle in a binary STL, and its header.
STL_TRIANGLE, STL_HEADER = 50, 84
# What a scene may hold: nodes, levels of nodes, triangles of all instances together.
MOST_NODES, MOST_DEPTH, MOST_TRIANGLES = 20_000, 64, 4_000_000
COMPONENT_BYTES = {5120: 1, 5121: 1, 5122: 2, 5123: 2, 5125: 4, 5126: 4}
COMPONENTS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
PLY_BYTES = {
    "char": 1, "uchar": 1, "int8": 1, "uint8": 1, "short": 2, "ushort": 2, "int16": 2, "uint16": 2, "int": 4,
    "uint": 4, "int32": 4, "uint32": 4, "float": 4, "float32": 4, "double": 8, "float64": 8
}


def checked_bytes(data, kind):
    """The file's bytes as a reader may have them; raises `SurfaceError` where they cannot be a surface.

    Parameters
    ----------
    data : bytes
    kind : {"stl", "obj", "ply", "glb", "step", "stp"}
    """
    if not data.strip():
        raise SurfaceError(f"The file is empty. {AGAIN}")
    return {"stl": _stl, "obj": _text, "ply": _ply, "glb": _glb}.get(kind, bytes)(data)


def _text(data):
    """Text in UTF-8, whatever 8-bit letters its names were written in."""
    try:
        data.decode("utf-8")
        return data
    except UnicodeDecodeError:
        return data.decode("latin-1").encode("utf-8")


def _stl(data):
    if len(data) >= STL_HEADER:
        told = struct.unpack_from("<I", data, 80)[0]
        if len(data) == STL_HEADER + STL_TRIANGLE * told:
            return data
    head = data[:2000].lstrip().lower()
    if head.startswith(b"solid") and (b"facet" in head or b"endsolid" in head):
        return _text(data)
    if len(data) < STL_HEADER:
        raise SurfaceError(f"The file has {len(data)} bytes: too few for an STL. {AGAIN}")
    held = (len(data) - STL_HEADER) // STL_TRIANGLE
    if told > held:
        raise SurfaceError(
            f"The STL says that it holds {told:,} triangles, but there are only {held:,} in it: it was cut "
            f"off on its way. {AGAIN}"
        )
    if told == 0:
        raise SurfaceError(f"The STL says that it holds no triangles. {AGAIN}")
    # What some programs add behind the last triangle is not needed.
    return data[:STL_HEADER + STL_TRIANGLE * told]


def _ply(data):
    end = re.search(rb"end_header[^\n]*\n", data[:200_000])
    if not data.startswith(b"ply") or end is None:
        raise SurfaceError(f"The file does not begin as a PLY does. {AGAIN}")
    header = data[:end.end()].decode("latin-1").splitlines()
    is_text = any(line.split()[:2] == ["format", "ascii"] for line in header)
    body, least, rows = len(data) - end.end(), 0, 0
    count = width = 0
    for line in [*header, "element end 0"]:
        words = line.split()
        if words[:1] == ["element"]:
            least, rows = least + count * width, rows + count
            count, width = _count(words), 0
        elif words[:2] == ["property", "list"] and len(words) > 3:
            width += PLY_BYTES.get(words[2], 1)
        elif words[:1] == ["property"] and len(words) > 2:
            width += PLY_BYTES.get(words[1], 1)
    if (rows > 2 * body + 2) if is_text else (least > body):
        raise SurfaceError(
            f"The PLY says that it holds {rows:,} rows, but there are not so many in it: it was cut off on "
            f"its way, or its header is damaged. {AGAIN}"
        )
    return data if is_text is False else data[:end.end()] + _text(data[end.end():])


def _count(words):
    try:
        count = int(words[2])
    except (IndexError, ValueError):
        raise SurfaceError(f"The PLY's header has an element without a count. {AGAIN}") from None
    if count < 0:
        raise SurfaceError(f"The PLY's header counts {count} of an element. {AGAIN}")
    return count


def _glb(data):
    if len(data) < 20 or data[:4] != b"glTF":
        raise SurfaceError(f"The file does not begin as a GLB does. {AGAIN}")
    length, kind = struct.unpack_from("<I4s", data, 12)
    if kind != b"JSON" or 20 + length > len(data):
        raise SurfaceError(f"The GLB's description is missing or cut off. {AGAIN}")
    try:
        scene = json.loads(data[20:20 + length].decode("utf-8"))
        _check_accessors(scene, len(data))
        _check_nodes(scene)
    except SurfaceError:
        raise
    except (ValueError, KeyError, TypeError, IndexError, AttributeError, RecursionError) as error:
        raise SurfaceError(
            f"The GLB's description is damaged ({type(error).__name__}: {str(error)[:80]}). {AGAIN}"
        ) from None
    return data


def _check_accessors(scene, size):
    """That arrays are no larger than the file they lie in."""
    total = 0
    for accessor in scene.get("accessors", []):
        count = accessor.get("count", 0)
        wide = COMPONENT_BYTES.get(accessor.get("componentType"), 1) * COMPONENTS.get(accessor.get("type"), 1)
        if not isinstance(count, int) or count < 0 or count * wide > size:
            raise SurfaceError(
                f"The GLB asks for an array of {count} entries, more than the file holds. {AGAIN}")
        total += count * wide
    if total > 20 * size:
        raise SurfaceError(f"The GLB reads the same bytes more than twenty times over. {AGAIN}")


def _check_nodes(scene):
    """That the nodes make no endless or enormous scene."""
    nodes, meshes, accessors = scene.get("nodes", []), scene.get("meshes", []), scene.get("accessors", [])
    if len(nodes) > MOST_NODES:
        raise SurfaceError(
            f"The GLB has {len(nodes):,} nodes; at most {MOST_NODES:,} are read. Join its parts first.")
    triangles = [
        sum(accessors[p["indices"]]["count"] if "indices" in
            p else accessors[p["attributes"]["POSITION"]]["count"] for p in mesh.get("primitives", [])) // 3
        for mesh in meshes
    ]
    starts = [n for one in scene.get("scenes", []) for n in one.get("nodes", [])]
    stack, seen, total = [(n, 0) for n in starts], 0, 0
    while stack:
        number, depth = stack.pop()
        seen += 1
        node = nodes[number]
        if depth > MOST_DEPTH or seen > MOST_NODES:
            raise SurfaceError(
                "The GLB's nodes lie in each other without end. Flatten the scene, or export the mesh alone.")
        if "mesh" in node:
            total += triangles[node["mesh"]]
        if total > MOST_TRIANGLES:
            raise SurfaceError(
                f"The GLB's instances hold more than {MOST_TRIANGLES:,} triangles together. Simplify the "
                "surface first."
            )
        stack += [(child, depth + 1) for child in node.get("children", [])]
