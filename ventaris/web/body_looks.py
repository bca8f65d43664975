"""The three-dimensional flow view: surface, cut planes, lines and iso-surfaces for the canvas."""
import functools

import numpy as np
from flask import Blueprint, Response, abort, current_app, g, request

from ..core import units
from ..core.look.body_field import SURFACE_QUANTITIES
from ..core.look.body_lines import AXES, cut_plane, iso_surface, oil_lines, rake, streamlines
from ..core.look.colours import map_for
from ..core.sheet import read_toml
from ..store import runs
from ..store.database import open_database
from ..store.drawn import drawn_field
from .campaigns import only_about
from .packing import packed
from .turns import takes_long

pages = Blueprint("body_looks", __name__)
MOST_LINES = 400
LARGEST = 1e9


@functools.lru_cache(maxsize=4)
def _load(folder, run_id, version):
    """(BodyField, DrawnSurface) of a run's stored field, the surface in the field's unit."""
    database = open_database(folder, migrate=False)
    try:
        data = runs.kept_array(database, run_id, "field")
        sheet = read_toml(runs.run(database, run_id)["sheet"])
    finally:
        database.close()
    return drawn_field(sheet, data)


def body_of(run_id):
    """(BodyField, DrawnSurface); 404 when the run has no field yet."""
    only_about("body", run_id)
    version = runs.array_version(g.database, run_id, "field")
    if not version:
        abort(404, "This run has no field yet: it appears with the first steps.")
    return _load(str(current_app.config["FOLDER"]), run_id, version)


def answered(head, arrays):
    """The answer that holds named arrays, as float32 or uint32."""
    kinds = {name: "u4" if values.dtype.kind in "iu" else "f4" for name, values in arrays.items()}
    head["arrays"] = [{"name": name, "kind": kinds[name], "count": int(values.size)}
                      for name, values in arrays.items()]
    response = Response(
        packed(head,
               [np.ascontiguousarray(values.astype(f"<{kinds[name]}")) for name, values in arrays.items()]),
        mimetype="application/octet-stream")
    response.headers["Cache-Control"] = "no-cache"
    return response


def finite(text):
    """A number of a query; ValueError, for which the default is taken, where it is none or too large to be
    one of a picture."""
    value = float(text)
    if not abs(value) <= LARGEST:
        raise ValueError(text)
    return value


def _numbers(name, default):
    """Numbers with units of a query parameter, in metres or degrees."""
    text = request.args.get(name, "")
    if not text:
        return list(default)
    try:
        found = [units.parse(part, "m") for part in text.split(",")]
    except ValueError as error:
        abort(400, str(error))
    if len(found) != len(default) or not (np.abs(found) <= LARGEST).all():
        abort(
            400,
            f"{name} = {text[:40]}: give {len(default)} numbers of at most {LARGEST:g} with commas between "
            "them."
        )
    return found


def _described(q, values):
    """A quantity with a range that shows most of its values."""
    good = values[np.isfinite(values)]
    if not len(good):
        span = (0.0, 1.0)
    elif q.diverging:
        most = float(
            np.clip(np.percentile(np.abs(good - q.centre), 98), 1e-3, 3.0 if q.key == "cp" else np.inf))
        span = (q.centre - most, q.centre + most)
    else:
        span = tuple(float(v) for v in np.percentile(good, (1, 99)))
        span = span if span[1] > span[0] else (span[0], span[0] + 1e-6)
    return {
        "key": q.key, "label": q.label, "unit": q.unit, "map": map_for(q), "diverging": q.diverging,
        "range": span
    }


def _in_air(field, key, values):
    """The same for a field of the air: speeds from nothing on, losses from none to all."""
    q = _described(field.quantities[key], values)
    if key in ("speed", "mach", "vx"):
        q["range"] = (min(q["range"][0], 0.0), q["range"][1])
    elif key == "loss":
        q["range"] = (0.0, 1.0)
    return q


def _known(field, key):
    """A key of one of the run's fields, or an answer that it has none such."""
    if key not in field.quantities:
        abort(404, "This run has no such field.")
    return key


@pages.get("/runs/<int:run_id>/surface.bin")
@takes_long
def surface(run_id):
    """The body with its readings; with ``minus`` the difference from another run's readings at the same
    places."""
    field, drawn = body_of(run_id)
    values = field.readings(drawn.points, drawn.normals)
    if "minus" in request.args:
        other, _ = body_of(request.args.get("minus", 0, type=int))
        there = other.readings(drawn.points * field.scale / other.scale, drawn.normals)
        values = {name: value - there[name] for name, value in values.items()}
    described = [
        _described(q, values[key]) for key, q in SURFACE_QUANTITIES.items()
        if key == "cp" or np.ptp(values[key]) > 0
    ]
    if "minus" in request.args:
        for q in described:
            most = float(np.percentile(np.abs(values[q["key"]]), 98)) or 1e-6
            q.update(label=f"Difference of {q['label'][0].lower()}{q['label'][1:]}", range=(-most, most),
                     map="vik", diverging=True)
    low, high = drawn.points.min(axis=0) * field.scale, drawn.points.max(axis=0) * field.scale
    head = {
        "level": field.level, "groups": drawn.groups(), "quantities": described,
        "box": [low.tolist(), high.tolist()]
    }
    return answered(head, {
        "points": drawn.points * field.scale, "normals": drawn.normals, "triangles": drawn.triangles, **values
    })


def _domain(field):
    box = field.box.copy()
    if field.half:
        box[0, 1] = -box[1, 1]
    return box


@pages.get("/runs/<int:run_id>/plane.bin")
@takes_long
def plane(run_id):
    """A cut plane: ``normal`` (x, y or z), ``at`` metres along it, ``turn`` and ``tilt`` in degrees, clipped
    to a box of ``reach`` body lengths."""
    field, drawn = body_of(run_id)
    key = request.args.get("q", "speed")
    _known(field, key)
    normal = np.array(AXES.get(request.args.get("normal", "y")) or abort(400, "normal: x, y or z."))
    at = _numbers("at", (0.0, ))[0] / field.scale
    turn, tilt = (np.radians(request.args.get(name, 0.0, type=finite) or 0.0) for name in ("turn", "tilt"))
    low, high = _window(field, drawn)
    middle = 0.5 * (drawn.points.min(axis=0) + drawn.points.max(axis=0))
    point = np.where(normal > 0, at, middle)
    cos, sin = np.cos(turn), np.sin(turn)
    normal = np.array([[cos, -sin, 0], [sin, cos, 0], [0, 0, 1]]) @ normal
    cos, sin = np.cos(tilt), np.sin(tilt)
    normal = np.array([[cos, 0, sin], [0, 1, 0], [-sin, 0, cos]]) @ normal
    points, triangles, values = cut_plane(field, point, normal, (key, "vx", "vy", "vz"), low, high,
                                          min(max(request.args.get("columns", 280, type=int), 20), 600))
    q = _in_air(field, key, values[np.unique(triangles), 0] if len(triangles) else np.zeros(1))
    return answered({"quantity": q, "level": field.level, "normal": normal.tolist()}, {
        "points": points * field.scale, "triangles": triangles, "values": values[:, 0], "velocity": values[:,
                                                                                                           1:]
    })


def _window(field, drawn):
    """The box in which planes and iso-surfaces are drawn: round the body, longer behind; or as far as
    ``reach`` body lengths."""
    low, high = drawn.points.min(axis=0), drawn.points.max(axis=0)
    reach = float(np.clip(request.args.get("reach", 0.6, type=finite) or 0.6, 0.05, 50.0))
    size = float((high - low).max())
    box = _domain(field)
    return np.maximum(low - reach * size, box[0]), np.minimum(high + reach * size * np.array([2.5, 1.0, 1.0]),
                                                              box[1])


@pages.get("/runs/<int:run_id>/streams.bin")
@takes_long
def streams(run_id):
    """Streamlines from a rake: ``kind``, ``centre`` x,y,z and ``size`` in metres, ``count``; coloured
    ``by`` a field, or by the velocity over the stream's."""
    field, drawn = body_of(run_id)
    by = request.args.get("by") and _known(field, request.args["by"])
    low, high = drawn.points.min(axis=0) * field.scale, drawn.points.max(axis=0) * field.scale
    middle, size = 0.5 * (low + high), high - low
    kind = request.args.get("kind", "grid")
    if kind not in ("line", "upright", "disc", "grid", "inflow"):
        abort(400, "kind: line, upright, disc, grid or inflow.")
    centre = _numbers("centre", (low[0] - 0.3 * size.max(), middle[1], middle[2]))
    width = _numbers("size", (1.2 * max(size[1], size[2]), ))[0]
    count = min(max(request.args.get("count", 60, type=int), 1), MOST_LINES)
    if kind == "inflow":
        box = _domain(field) * field.scale
        centre, width, kind = [
            box[0, 0] + 1e-3 * size.max(), 0.5 * (box[0, 1] + box[1, 1]), 0.5 * (box[0, 2] + box[1, 2])
        ], 0.98 * min(box[1, 1] - box[0, 1], box[1, 2] - box[0, 2]), "grid"
    lines = streamlines(field, rake(kind, np.array(centre) / field.scale, width / field.scale, count))
    head = {"rake": {"kind": kind, "centre": [float(c) for c in centre], "size": float(width)}}
    return _lines(field, [line for line, _ in lines], [speed for _, speed in lines], head, by)


def _lines(field, lines, speeds, head, by=None):
    keep = [k for k, line in enumerate(lines) if len(line) > 1]
    points = np.concatenate([lines[k] for k in keep]) if keep else np.zeros((0, 3))
    speed = np.concatenate([speeds[k] for k in keep]) if keep else np.zeros(0)
    if by:
        speed = _sampled(field, points, by)
        head = head | {"quantity": _in_air(field, by, speed)}
    return answered(
        head, {
            "points": points * field.scale, "speed": speed, "lengths": np.array([len(lines[k]) for k in keep],
                                                                                dtype=np.int64)
        })


@pages.get("/runs/<int:run_id>/oil.bin")
@takes_long
def oil(run_id):
    """Oil-flow lines on the body."""
    field, drawn = body_of(run_id)
    if not np.any(field.wall_shear):
        abort(400, "An inviscid flow has no friction: there are no oil-flow lines.")
    lines = oil_lines(field, drawn, min(max(request.args.get("count", 500, type=int), 10), 2000))
    return _lines(field, lines, [np.zeros(len(line)) for line in lines], {})


@pages.get("/runs/<int:run_id>/iso.bin")
@takes_long
def iso(run_id):
    """An iso-surface of total-pressure loss, Q-criterion or any other field, coloured ``by`` a field: the
    velocity where nothing else is asked for."""
    field, drawn = body_of(run_id)
    key = request.args.get("q", "loss")
    if key != "q":
        _known(field, key)
    value = request.args.get("value", 0.5, type=finite)
    by, (low, high) = _known(field, request.args.get("by") or "speed"), _window(field, drawn)
    found = iso_surface(field, key, value if value is not None else 0.5, low, high)
    if found is None:
        return answered({"empty": True}, {"points": np.zeros(0)})
    values = _sampled(field, found.points, by)
    return answered({"empty": False, "quantity": _in_air(field, by, values)}, {
        "points": found.points * field.scale, "normals": found.normals, "triangles": found.triangles,
        "values": values
    })


def _sampled(field, points, key):
    """A field at places, nothing where there is no air."""
    return np.nan_to_num(field.sample(points, (key, ))[:, 0]) if len(points) else np.zeros(0)
