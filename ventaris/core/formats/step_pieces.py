"""The geometry kernel's side of reading solid models: a process of its own, from standard input to output.

The lengths of a STEP file have a unit, so what comes out is in metres. Curved faces are cut into triangles so
small that no grid sees them: `FINENESS` of the model's size off the true face, and turning by no more than
`TURN` from one to the next.

It imports nothing of the program, since every file that is read starts it anew.
"""
import io
import itertools
import json
import sys

import numpy as np

# Most that a triangle stands off its face, in sizes of the model, and that two neighbours turn (radians).
FINENESS, TURN = 4e-5, 0.12
# More triangles than these are made coarser, by a factor of four of what they stand off.
MOST_TRIANGLES, COARSER = 1_500_000, 4.0
# The kernel's own lengths are millimetres, whatever the file's are.
METRES = 1e-3
# Names that say nothing.
NAMELESS = {"", "none", "null", "solid", "shell", "compound"}
MOST_PATCHES, MOST_DEPTH = 60, 64
# What is written of each piece, numbered.
ARRAYS = ("vertices", "triangles", "patch")
DAMAGED = "The STEP file cannot be read: it is damaged, or was cut off on its way. Export it again."


def main():
    """Read a file from standard input; write its pieces, or why there are none."""
    arrays = {}
    try:
        pieces = _cut(sys.stdin.buffer.read())
        head = [(piece[0], piece[4]) for piece in pieces]
        for k, piece in enumerate(pieces):
            arrays |= {f"{what}{k}": values for what, values in zip(ARRAYS, piece[1:4])}
    except ValueError as error:
        head = str(error)
    arrays["head"] = np.frombuffer(json.dumps(head).encode(), dtype=np.uint8)
    np.savez(sys.stdout.buffer, **arrays)


def _cut(data):
    """The pieces, read and cut here and now."""
    reader, shapes = _read(data)
    if not shapes:
        raise ValueError(
            "The STEP file holds no solids and no faces, perhaps only curves or drawings. Export the solid "
            "model itself."
        )
    size, off = _size([shape for _, shape in shapes]), FINENESS
    while True:
        pieces = [_piece(reader, name, shape, size, off) for name, shape in shapes]
        total = sum(len(piece[2]) for piece in pieces)
        if total <= MOST_TRIANGLES:
            break
        off *= COARSER
    if not total:
        raise ValueError(
            "No face of the STEP file can be cut into triangles: it is damaged. Export it again.")
    return [piece for piece in pieces if len(piece[2])]


def _read(data):
    """The reader and (name, placed shape) of every solid; of loose faces, all of a product together."""
    from OCP.IFSelect import IFSelect_RetDone
    from OCP.Message import Message
    from OCP.STEPCAFControl import STEPCAFControl_Reader
    from OCP.TCollection import TCollection_ExtendedString
    from OCP.collections import Sequence_TDF_Label
    from OCP.TDocStd import TDocStd_Document
    from OCP.TopLoc import TopLoc_Location
    from OCP.XCAFDoc import XCAFDoc_DocumentTool
    # It would print what it finds wrong, where our own answer goes.
    Message.DefaultMessenger_s().ChangePrinters().Clear()
    reader = STEPCAFControl_Reader()
    reader.SetNameMode(True)
    document = TDocStd_Document(TCollection_ExtendedString("model"))
    if reader.ReadStream("model", io.BytesIO(data)) != IFSelect_RetDone or not reader.Transfer(document):
        raise ValueError(DAMAGED)
    tool = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    labels = Sequence_TDF_Label()
    tool.GetFreeShapes(labels)
    found = []
    for k in range(1, labels.Length() + 1):
        _collect(tool, labels.Value(k), TopLoc_Location(), _name(labels.Value(k)), found, 0)
    return reader, found


def _collect(tool, label, place, name, found, depth):
    """Append the solids below a label."""
    from OCP.collections import Sequence_TDF_Label
    from OCP.TDF import TDF_Label
    from OCP.TopAbs import TopAbs_FACE, TopAbs_SOLID
    if depth > MOST_DEPTH:
        raise ValueError(f"The STEP file's assembly is nested deeper than {MOST_DEPTH} levels.")
    if tool.IsAssembly_s(label):
        parts = Sequence_TDF_Label()
        tool.GetComponents_s(label, parts)
        for k in range(1, parts.Length() + 1):
            part, meant = parts.Value(k), TDF_Label()
            if tool.GetReferredShape_s(part, meant):
                own = _name(meant) or _name(part)
                there = place.Multiplied(tool.GetLocation_s(part))
                _collect(tool, meant, there, own or name, found, depth + 1)
        return
    shape = tool.GetShape_s(label).Moved(place)
    solids = list(_parts(shape, TopAbs_SOLID))
    if solids:
        found += [(name, solid) for solid in solids]
        if next(_parts(shape, TopAbs_FACE, TopAbs_SOLID), None) is None:
            return
    if next(_parts(shape, TopAbs_FACE, TopAbs_SOLID if solids else None), None) is not None:
        found.append((name, _loose(shape) if solids else shape))


def _parts(shape, kind, outside=None):
    """Sub-shapes of a kind, not those within another kind."""
    from OCP.TopAbs import TopAbs_SHAPE
    from OCP.TopExp import TopExp_Explorer
    walk = TopExp_Explorer(shape, kind, TopAbs_SHAPE if outside is None else outside)
    while walk.More():
        yield walk.Current()
        walk.Next()


def _loose(shape):
    """The faces that belong to no solid."""
    from OCP.BRep import BRep_Builder
    from OCP.TopAbs import TopAbs_FACE, TopAbs_SOLID
    from OCP.TopoDS import TopoDS_Compound
    builder, out = BRep_Builder(), TopoDS_Compound()
    builder.MakeCompound(out)
    for face in _parts(shape, TopAbs_FACE, TopAbs_SOLID):
        builder.Add(out, face)
    return out


def _name(label):
    """A label's name, or ""."""
    from OCP.TDataStd import TDataStd_Name
    attribute = TDataStd_Name()
    if not label.FindAttribute(TDataStd_Name.GetID_s(), attribute):
        return ""
    return _plain(attribute.Get().ToExtString())


def _plain(name):
    name = " ".join(str(name).split())[:40]
    return "" if name.lower() in NAMELESS or name.lower().startswith("open cascade") else name


def _size(shapes):
    """Diagonal of the box round shapes, millimetres."""
    from OCP.Bnd import Bnd_Box
    from OCP.BRepBndLib import BRepBndLib
    box = Bnd_Box()
    for shape in shapes:
        BRepBndLib.Add_s(shape, box)
    if box.IsVoid():
        raise ValueError("The STEP file's faces have no extent. Export it again.")
    return float(np.sqrt(box.SquareExtent()))


def _piece(reader, name, shape, size, off):
    """One shape cut into triangles: (name, vertices, triangles, patch, patches)."""
    from OCP.BRepMesh import BRepMesh_IncrementalMesh
    from OCP.BRepTools import BRepTools
    from OCP.TopAbs import TopAbs_FACE
    BRepTools.Clean_s(shape)
    BRepMesh_IncrementalMesh(shape, off * size, False, TURN, False)
    name = name or "body"
    vertices, triangles, patch, patches, offset = [], [], [], [], 0
    for face in _parts(shape, TopAbs_FACE):
        points, corners = _triangles(face)
        if not len(corners):
            continue
        own = _face_name(reader, face) or name
        if own not in patches:
            own = own if len(patches) < MOST_PATCHES else patches[-1]
            patches += [] if own in patches else [own]
        vertices.append(points)
        triangles.append(corners + offset)
        patch.append(np.full(len(corners), patches.index(own)))
        offset += len(points)
    if not vertices:
        return name, np.empty((0, 3)), np.empty((0, 3), dtype=np.int64), np.empty(0, dtype=np.int64), []
    return name, METRES * np.concatenate(vertices), np.concatenate(triangles), np.concatenate(patch), patches


def _triangles(face):
    """Points in millimetres and corners of a face's triangles, their outside that of the solid."""
    from OCP.BRep import BRep_Tool
    from OCP.TopAbs import TopAbs_REVERSED
    from OCP.TopLoc import TopLoc_Location
    from OCP.TopoDS import TopoDS
    place = TopLoc_Location()
    cut = BRep_Tool.Triangulation_s(TopoDS.Face(face), place)
    if cut is None or cut.NbTriangles() == 0:
        return np.empty((0, 3)), np.empty((0, 3), dtype=np.int64)
    move = place.Transformation()
    nodes = (cut.Node(k).Transformed(move) for k in range(1, cut.NbNodes() + 1))
    points = np.fromiter(itertools.chain.from_iterable((p.X(), p.Y(), p.Z()) for p in nodes),
                         float).reshape(-1, 3)
    corners = np.fromiter(
        itertools.chain.from_iterable(cut.Triangle(k).Get() for k in range(1, cut.NbTriangles() + 1)),
        np.int64).reshape(-1, 3) - 1
    if (face.Orientation() == TopAbs_REVERSED) != move.IsNegative():
        corners = corners[:, ::-1]
    return points, corners


def _face_name(reader, face):
    """The name that the file gives a face, or ""."""
    from OCP.TopLoc import TopLoc_Location
    origin = reader.Reader().WS().TransferReader().EntityFromShapeResult(face.Located(TopLoc_Location()), 1)
    told = getattr(origin, "Name", lambda: None)()
    return "" if told is None else _plain(told.ToCString())


if __name__ == "__main__":
    main()
