"""Files of a body's flow: the field's cells as VTU, the surface with its readings as VTP and CSV."""
import base64

import numpy as np

from ..look.body_field import CORNERS
from ..shapes.triangle_tree import morton
from .tables import write_csv

# Corner order of a VTK hexahedron in ours.
HEXAHEDRON = [0, 4, 6, 2, 1, 5, 7, 3]


def body_vtu(field):
    """Cubes outside the body with the state in SI as cell data; lengths in metres."""
    t, inside = field.tree, field.leaf_cell >= 0
    lattice = (t.corner[inside, None] + t.width[inside, None, None] * CORNERS[HEXAHEDRON]).reshape(-1, 3)
    _, first, node = np.unique(morton(lattice), return_index=True, return_inverse=True)
    points = (t.low + lattice[first] * t.step) * field.scale
    cell = field.leaf_cell[inside]
    speed = field.air.speed
    data = {
        name: field.values(key)[cell]
        for name, key in (("pressure_Pa", "pressure"), ("temperature_K", "temperature"), ("cp", "cp"),
                          ("mach", "mach"), ("total_pressure_loss", "loss"))
    }
    data["velocity_m_s"] = np.stack([field.values(k)[cell] for k in ("vx", "vy", "vz")], axis=1) * speed
    if field.mean is not None:
        data |= {
            name: field.values(key)[cell]
            for name, key in (("pressure_about_mean_Pa", "fluctuation"), ("pressure_rms_Pa", "pressure_rms"),
                              ("mean_cp", "mean_cp"))
        }
        data["mean_velocity_m_s"] = field.mean[cell, 2:5] / field.air.mach * speed
    n = len(cell)
    return _document("UnstructuredGrid", points, [("connectivity", node.reshape(-1)),
                                                  ("offsets", 8 * np.arange(1, n + 1)),
                                                  ("types", np.full(n, 12, dtype=np.uint8))], "Cells", {},
                     data, n)


def body_surface_vtp(field, drawn):
    """The drawn surface with Cp, friction, y+ and pressures (Pa) at its points."""
    values = field.readings(drawn.points, drawn.normals)
    n = len(drawn.triangles)
    return _document("PolyData", drawn.points * field.scale, [("connectivity", drawn.triangles.ravel()),
                                                              ("offsets", 3 * np.arange(1, n + 1))], "Polys",
                     values, {"part": drawn.part}, n)


def body_surface_csv(field, drawn):
    """Readings of every wall face: place in metres, outward normal, Cp, Cf, y+, pressure in Pa, absolute and
    over that of the stream."""
    at, out = field.wall_centre * field.scale, -field.wall_normal
    columns = {
        "x_m": at[:, 0], "y_m": at[:, 1], "z_m": at[:, 2], "normal_x": out[:, 0], "normal_y": out[:, 1],
        "normal_z": out[:, 2], **field.wall_readings()
    }
    return write_csv({name: np.round(values, 7).tolist() for name, values in columns.items()})


def _document(kind, points, cells, cell_tag, point_data, cell_data, count):
    """A VTK XML document with inline base64 arrays."""
    what = f'NumberOfPoints="{len(points)}" ' + (f'NumberOfCells="{count}"' if kind == "UnstructuredGrid" else
                                                 f'NumberOfPolys="{count}"')
    parts = [
        '<?xml version="1.0"?>',
        f'<VTKFile type="{kind}" version="1.0" byte_order="LittleEndian" header_type="UInt64">',
        f"<{kind}><Piece {what}>", "<PointData>", *(_array(name, v) for name, v in point_data.items()),
        "</PointData>", "<CellData>", *(_array(name, v)
                                        for name, v in cell_data.items()), "</CellData>", "<Points>",
        _array("points", points), "</Points>", f"<{cell_tag}>", *(_array(name, v) for name, v in cells),
        f"</{cell_tag}>", f"</Piece></{kind}>", "</VTKFile>"
    ]
    return "\n".join(parts).encode()


def _array(name, values):
    values = np.asarray(values)
    kind, form = ("UInt8",
                  "u1") if values.dtype == np.uint8 else ("Int64",
                                                          "<i8") if values.dtype.kind in "iu" else ("Float32",
                                                                                                    "<f4")
    data = np.ascontiguousarray(values.astype(form)).tobytes()
    text = base64.b64encode(np.uint64(len(data)).tobytes() + data).decode()
    width = values.shape[1] if values.ndim > 1 else 1
    return (
        f'<DataArray type="{kind}" Name="{name}" NumberOfComponents="{width}" '
        f'format="binary">{text}</DataArray>'
    )
