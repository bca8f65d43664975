"""The three-dimensional flow view: surface, cut planes, lines and iso-surfaces for the canvas."""
import functools

import numpy as np
from flask import Blueprint, Response, abort, current_app, g, jsonify, request

from ..core import units
from ..core.look.body_field import SURFACE_QUANTITIES
from ..core.look.body_lines import oil_lines
from ..core.look.body_scene import VORTEX, CutPlane, Iso, Rake, SceneError, domain
from ..core.look.colours import map_for
from ..core.look.spans import span_in_air, span_on_body
from ..core.sheet import read_toml
from ..store import runs
from ..store.database import open_database
from ..store.drawn import drawn_field
from .campaigns import only_about
from .packing import packed
from .turns import takes_long

pages = Blueprint("body_looks", __name__)
LARGEST, POINTS_ALONG = 1e9, 301


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
        abort(
            404, "This run has no field: it appears with the first steps, and is let go of at the end where "
            "numbers and curves only are kept.")
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


def _described(q, span):
    """A quantity with the ends of its colours."""
    return {
        "key": q.key, "label": q.label, "unit": q.unit, "map": map_for(q), "diverging": q.diverging,
        "range": span
    }


def _shown(kind, found):
    """Something of a scene that the query asks for; an answer that says so where it is none such."""
    try:
        return kind.from_dict(found)
    except SceneError as error:
        abort(400, str(error))


def _known(field, *keys):
    """An answer that the run has no such field, where it has not."""
    if any(key and key not in field.quantities for key in keys):
        abort(404, "This run has no such field.")


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
        _described(q, span_on_body(q, values[key])) for key, q in SURFACE_QUANTITIES.items()
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
        "box": [low.tolist(), high.tolist()], "domain": (domain(field) * field.scale).tolist()
    }
    return answered(head, {
        "points": drawn.points * field.scale, "normals": drawn.normals, "triangles": drawn.triangles, **values
    })


@pages.get("/runs/<int:run_id>/plane.bin")
@takes_long
def plane(run_id):
    """A cut plane: ``normal`` (x, y or z), ``at`` metres along it, ``turn`` and ``tilt`` in degrees, clipped
    to a box of ``reach`` body lengths."""
    field, drawn = body_of(run_id)
    _known(field, request.args.get("q"))
    wanted = _shown(CutPlane, {
        "q": request.args.get("q", "speed"), "normal": request.args.get("normal", "y"),
        "at": _numbers("at", (0.0, ))[0], "reach": _reach(),
        **{name: request.args.get(name, 0.0, type=finite) or 0.0 for name in ("turn", "tilt")}
    })
    columns = min(max(request.args.get("columns", 280, type=int), 20), 600)
    points, triangles, values, velocity, mach = wanted.cut(field, drawn, columns)
    q = _described(field.quantities[wanted.q], wanted.span(field, triangles, values))
    return answered({"quantity": q, "level": field.level, "normal": wanted.direction().tolist()}, {
        "points": points * field.scale, "triangles": triangles, "values": values, "velocity": velocity,
        "mach": mach
    })


@pages.get("/runs/<int:run_id>/along.json")
@takes_long
def along(run_id):
    """Every field at even distances along a line ``from`` x,y,z ``to`` x,y,z in metres; none in bodies."""
    field, _ = body_of(run_id)
    ends = np.array([_numbers(name, (0.0, ) * 3) for name in ("from", "to")])
    length = float(np.linalg.norm(ends[1] - ends[0]))
    if not length > 0:
        abort(400, "from and to are the same place: give two ends of a line.")
    share = np.linspace(0.0, 1.0, POINTS_ALONG)
    points = ends[0] + share[:, None] * (ends[1] - ends[0])
    values = field.sample(points / field.scale, tuple(field.quantities))
    return jsonify(
        s=(share * length).tolist(), points=points.tolist(), quantities=[{
            "key": q.key, "label": q.label, "unit": q.unit, "values":
            [None if not np.isfinite(v) else float(v) for v in column]
        } for q, column in zip(field.quantities.values(), values.T)])


def _reach():
    """How far planes and iso-surfaces reach beyond the body, in body lengths."""
    return request.args.get("reach", 0.6, type=finite) or 0.6


@pages.get("/runs/<int:run_id>/streams.bin")
@takes_long
def streams(run_id):
    """Streamlines from a rake: ``kind``, ``centre`` x,y,z and ``size`` in metres, ``count``; coloured
    ``by`` a field, or by the velocity over the stream's. A disc where a click was has a ``normal``, a part of
    the body a ``part``."""
    field, drawn = body_of(run_id)
    by = request.args.get("by", "")
    _known(field, by)
    given = {"kind": request.args.get("kind", "grid"), "count": request.args.get("count", 60, type=int),
             "by": by, "part": request.args.get("part", "")}
    given |= {name: _numbers(name, (0.0, ) * 3) for name in ("centre", "normal") if request.args.get(name)}
    given["size"] = _numbers("size", (0.0, ))[0] if request.args.get("size") else None
    rake = _shown(Rake, given)
    try:
        lines = rake.lines(field, drawn)
    except SceneError as error:
        abort(400, str(error))
    centre, width = rake.placed(field, drawn)
    head = {"rake": {"kind": rake.kind, "centre": [float(c) for c in centre], "size": float(width)}}
    if by:
        head["quantity"] = _described(*rake.colours(field, lines))
    return _lines(field, lines, head)


def _lines(field, lines, head):
    keep = [line for line in lines if len(line[0]) > 1]
    points, values = (np.concatenate([line[k] for line in keep]) if keep else np.zeros(shape)
                      for k, shape in ((0, (0, 3)), (1, 0)))
    lengths = np.array([len(points) for points, _ in keep], dtype=np.int64)
    return answered(head, {"points": points * field.scale, "speed": values, "lengths": lengths})


@pages.get("/runs/<int:run_id>/oil.bin")
@takes_long
def oil(run_id):
    """Oil-flow lines on the body."""
    field, drawn = body_of(run_id)
    if not np.any(field.wall_shear):
        abort(400, "An inviscid flow has no friction: there are no oil-flow lines.")
    lines = oil_lines(field, drawn, min(max(request.args.get("count", 500, type=int), 10), 2000))
    return _lines(field, [(line, np.zeros(len(line))) for line in lines], {})


@pages.get("/runs/<int:run_id>/iso.bin")
@takes_long
def iso(run_id):
    """An iso-surface of total-pressure loss, Q-criterion or any other field, coloured ``by`` a field: the
    velocity where nothing else is asked for."""
    field, drawn = body_of(run_id)
    key, by = request.args.get("q", "loss"), request.args.get("by", "")
    _known(field, by, "" if key == VORTEX else key)
    value = request.args.get("value", 0.5, type=finite)
    wanted = _shown(Iso, {"key": key, "by": by, "value": 0.5 if value is None else value})
    made = wanted.made(field, drawn, _reach())
    if made is None:
        return answered({"empty": True}, {"points": np.zeros(0)})
    found, values = made
    q = field.quantities[wanted.by]
    return answered({"empty": False, "quantity": _described(q, span_in_air(q, values))}, {
        "points": found.points * field.scale, "normals": found.normals, "triangles": found.triangles,
        "values": values
    })
