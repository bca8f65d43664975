"""The files of a finished run."""
import json

import numpy as np

from ..flow.frame import spin
from ..instruments.taps import read_taps
from ..look.body_field import body_field
from ..look.body_picture import body_thumbnail
from ..look.body_surface import drawn_for
from ..look.drawable import nozzle_drawable, section_drawable
from ..look.row_planes import row_drawable
from ..look.picture import field_picture, thumbnail_box
from ..sheet import write_toml
from .body_files import body_surface_csv, body_surface_vtp, body_vtu
from .tables import write_csv
from .vtu import write_hexahedra, write_vtu


def _common_files(run):
    """What a run of any kind leaves: its sheet, its result and its history."""
    return {
        "sheet.toml": write_toml(run.sheet).encode(),
        "result.json": json.dumps(run.result, indent=1).encode(),
        "history.csv": history_csv(run.history).encode(),
    }


def section_files(run):
    """{name: bytes} of a finished run of sections."""
    _, flow, state = run.field()
    picture = section_drawable(run.setup, flow.mesh, state)
    return _common_files(run) | {
        "taps.csv": taps_csv(read_taps(flow, state, with_layer=True)).encode(),
        "field.vtu": write_vtu(flow.mesh, state, run.setup.air, run.setup.chord),
        "mach.png": field_picture(picture, "mach", title=run.sheet.title),
        "cp.svg": field_picture(picture, "cp", "svg", title=run.sheet.title)
    }


def nozzle_files(run):
    """{name: bytes} of a finished run of a nozzle or its jet."""
    _, flow, state = run.field()
    picture = nozzle_drawable(run.setup, flow.mesh, state)
    return _common_files(run) | {
        "lines.csv": rows_csv(run.rows()).encode(),
        "field.vtu": write_vtu(flow.mesh, state, run.setup.air, run.setup.scale),
        "mach.png": field_picture(picture, "mach", box=thumbnail_box(picture), title=run.sheet.title)
    }


def row_files(run):
    """{name: bytes} of a finished run of a blade row."""
    level, mesh, state = run.kept_field()
    picture = row_drawable(run.setup, mesh, state)
    return _common_files(run) | {
        "lines.csv": rows_csv(run.rows()).encode(),
        "field.vtu": passage_vtu(run),
        "planes.png": field_picture(picture, "mach", box=thumbnail_box(picture), title=run.sheet.title)
    }


def passage_vtu(run):
    """The passage of a run as VTU: hexahedra in metres, with the flow in SI."""
    _, flow, state = run.field()
    setup, mesh = run.setup, flow.mesh
    air, n = setup.air, mesh.n_own
    p, t = state[:, 0], state[:, 1]
    relative = state[:, 2:5] - spin(mesh.centre[:n], setup.turn)
    data = {
        "pressure": (air.gamma * p + 1) * air.pressure, "temperature": t * air.temperature,
        "velocity": state[:, 2:5] * air.speed_of_sound, "relative_velocity": relative * air.speed_of_sound,
        "relative_mach": np.linalg.norm(relative, axis=1) / np.sqrt(t)
    }
    return write_hexahedra(mesh.points * setup.scale, mesh.corners, data)


def rows_csv(rows):
    """Curves along lines as one table: the line, the station (radius on a plate), and what was read there in
    SI."""
    names = list(dict.fromkeys(name for columns in rows.values() for name in columns))
    table = {"line": [name for name, columns in rows.items() for _ in columns["s"]]}
    for name in names:
        table["x_or_r_m" if name == "s" else name] = [
            value for columns in rows.values()
            for value in (columns[name].tolist() if name in columns else [""] * len(columns["s"]))
        ]
    return write_csv(table)


def body_files(run):
    """{name: bytes} of a finished run of a body."""
    level, flow, state = run.field()
    field = body_field(level, flow, state, run.setup.scale, run.setup.half, run.setup.air, run.mean)
    drawn = drawn_for(field, run.setup.body.surface)
    return _common_files(run) | {
        "surface.csv": body_surface_csv(field, drawn).encode(),
        "surface.vtp": body_surface_vtp(field, drawn),
        "field.vtu": body_vtu(field), "speed.png": body_thumbnail(field, drawn, 9.0)
    }


def history_csv(history):
    names = list(dict.fromkeys(name for entry in history for name in entry)) or ["step"]
    return write_csv(
        {name: ["" if entry.get(name) is None else entry[name] for entry in history]
         for name in names})


def taps_csv(taps):
    columns = {
        "surface": taps.surface, "x_chord": taps.x.tolist(), "y_chord": taps.y.tolist(),
        "cp": taps.cp.tolist(), "cf": taps.cf.tolist(), "mach": taps.mach.tolist()
    }
    for name, values in (("y_plus", taps.y_plus), ("thickness_chord", taps.thickness), ("shape_factor",
                                                                                        taps.shape)):
        if values is not None:
            columns[name] = ["" if v != v else v for v in values.tolist()]
    return write_csv(columns)
