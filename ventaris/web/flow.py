"""The flow view: fields for the canvas, computed lines, and pictures for export."""
import functools

import numpy as np
from flask import Blueprint, Response, abort, current_app, g, jsonify, render_template, request
from matplotlib.tri import LinearTriInterpolator, Triangulation

from ..core.look.body_field import SURFACE_QUANTITIES
from ..core.look.colours import OFFERED, map_for, table
from ..core.look.drawable import default_range, moment, placed
from ..core.look.fields import QUANTITIES, TURBULENT_ONLY
from ..core.look.lines import FlowSampler, vectors
from ..core.look.picture import field_picture
from ..core.look.streaklines import streaklines
from ..core.look.plane_lines import MOST_LINES, PlaneLines, trace, where_air_is
from ..core.shapes.assembly import assemble
from ..core.sheet import read_toml
from ..core.study.kinds.registry import kind_of
from ..core.study.moments import recorded
from ..core.study.setup import prepare
from ..store import runs
from ..store.database import open_database
from ..store.drawn import small_picture
from ..store.fields import frames_head, unpack_field, unpack_frames
from .body_looks import body_of, finite
from .campaigns import download, only_about, plain_name
from .packing import packed
from .runs import run_or_404
from .turns import takes_long

pages = Blueprint("flow", __name__)
# Width of a small picture, in inches: its words can be read in a gallery.
SMALL = 5.4
NO_FIELD = (
    "This run has no field: it appears a second after the run has begun, and is let go of at its end where "
    "numbers and curves only are kept.")
MOST_STREAKS = 40
# The longest window over its width that an address may ask of a picture.
MOST_ASPECT = 5.0


@functools.lru_cache(maxsize=12)
def _load(folder, run_id, version):
    """(level, Drawable) of a run's stored field; kept while its version stays."""
    database = open_database(folder, migrate=False)
    try:
        data, frames = runs.kept_array(database, run_id, "field"), runs.kept_array(database, run_id, "frames")
        sheet = read_toml(runs.run(database, run_id)["sheet"])
    finally:
        database.close()
    level, mesh, state = unpack_field(data)
    return level, drawn_plane(sheet, mesh, state, frames_head(frames)[1] if frames else None)


@functools.lru_cache(maxsize=2)
def _load_frames(folder, run_id, version):
    """(setup, mesh, times, frames, mean) of a run's recorded moments; kept while they are played."""
    database = open_database(folder, migrate=False)
    try:
        kept, field_ = (runs.kept_array(database, run_id, kind) for kind in ("frames", "field"))
        sheet = read_toml(runs.run(database, run_id)["sheet"])
    finally:
        database.close()
    return (prepare(sheet), unpack_field(field_)[1], *unpack_frames(kept))


def drawn_plane(sheet, mesh, state, mean=None):
    """The `Drawable` of a plane field: of a section in chords, of a nozzle in metres."""
    setup = prepare(sheet)
    return kind_of(sheet).drawable(setup, mesh, state, mean)


def picture_of(run_id):
    """(level, Drawable, version); 404 when the run has no field yet."""
    only_about(("section", "nozzle", "row"), run_id)
    version = runs.array_version(g.database, run_id, "field")
    if not version:
        abort(404, NO_FIELD)
    return (*_load(str(current_app.config["FOLDER"]), run_id, version), version)


def drawn_of(run_id, space):
    """What is drawn of a run's field: (`BodyField`, `DrawnSurface`) or a `Drawable`; 404 without one."""
    return body_of(run_id) if space == "body" else picture_of(run_id)[1]


@pages.get("/runs/<int:run_id>/flow")
def show(run_id):
    run = run_or_404(run_id)
    others = [
        r for r in runs.latest_runs(g.database, run["campaign_id"]).values()
        if r["id"] != run_id and runs.array_version(g.database, r["id"], "field")
    ]
    named = [runs.run(g.database, r["id"]) for r in others]
    sheet = read_toml(run["sheet"])
    if sheet.space == "body":
        return _show_body(run, sheet, [r for r in named if r])
    frames = runs.kept_array(g.database, run_id, "frames")
    times, mean = frames_head(frames) if frames else ((), None)
    return render_template("flow.html", run=run, times=[round(float(t), 4) for t in times],
                           unit=_time_unit(sheet), nozzle=sheet.space != "section",
                           **_row_words(run_id, sheet), marks=marks_of(sheet), moves=bool(_motions(sheet)),
                           quantities=quantities_of(run, mean is not None),
                           maps=OFFERED, others=[r for r in named if r],
                           has_field=runs.array_version(g.database, run_id, "field") > 0)


def marks_of(sheet):
    """Where a run's instruments stand in its picture: list of {name, x, y}."""
    i = sheet.instruments
    out = [(p.name, p.x, p.y) for p in getattr(i, "probes", ()) if sheet.space in ("section", "nozzle")]
    if sheet.space == "section":
        out += [(f"{m.name}, {end}", x, y) for m in i.meters
                for end, x, y in (("one end", m.x1, m.y1), ("other end", m.x2, m.y2))]
    elif sheet.space == "nozzle" and sheet.flow.model == "noise":
        shift = prepare(sheet).contour.length
        out += [(m.name, shift + m.x, m.r) for m in i.microphones]
    return [{"name": name, "x": x, "y": y} for name, x, y in out]


def _motions(sheet):
    """The sheet's rows of what moves; only sections have them, and only in time."""
    return sheet.air.motions if sheet.space == "section" and sheet.flow.time == "unsteady" else []


def _place(setup, time):
    """What a moving field's head says of where things stand at a time in chords: ``place``, its axes (None
    where they do not move), and ``turned``, the angles of its circles."""
    if not getattr(setup, "moving", None) or setup.sheet.flow.time != "unsteady":
        return {"place": None}
    motion, t = setup.moving.motion, time / setup.stream.mach
    if setup.moving.circles:
        return {"place": None, "turned": motion.angles(t).tolist()}
    return {
        "place": {
            "angle": float(motion.pitch.value(t)), "pivot": list(map(float, motion.pivot)), "shift":
            [0.0, float(motion.heave.value(t))]
        }
    }


def _place_now(run_id):
    """The same of a run's stored field."""
    run = runs.run(g.database, run_id)
    sheet = read_toml(run["sheet"])
    if not _motions(sheet):
        return {"place": None}
    return _place(prepare(sheet), _time_of(run_id))


def _time_of(run_id):
    """Chords travelled when the stored field was reached; 0 before anything moves."""
    return next((h["time"] for h in reversed(runs.history(g.database, run_id)) if "time" in h), 0.0)


def _row_words(run_id, sheet):
    """What the page says of a blade row's planes; results of before have no mean over the passage."""
    row = sheet.space == "row"
    data = runs.kept_array(g.database, run_id, "field") if row else None
    return {
        "row": row, "open": row and sheet.shape.setting == "open", "turns_up": row and sheet.air.speed < 0,
        "meridional": bool(data) and unpack_field(data)[1].layout["planes"][-1][0] < 0
    }


def _show_body(run, sheet, others):
    has_field = runs.array_version(g.database, run["id"], "field") > 0
    ground = None
    if has_field and sheet.domain.kind == "ground":
        ground = float(assemble(sheet.shape).surface.box[0, 2]) - sheet.domain.clearance
    without = {"inviscid": ("cf", "y_plus"), "laminar": ("y_plus", )}.get(sheet.flow.model, ())
    quantities = {k: q for k, q in SURFACE_QUANTITIES.items() if k not in without}
    planes = body_of(run["id"])[0].quantities if has_field else {}
    return render_template("flow_body.html", run=run,
                           file=plain_name(f"{run['variant_name']} {run['point_name']}"), others=others,
                           has_field=has_field, ground=ground, marks=_marks_in_space(sheet),
                           moving=sheet.domain.ground == "moving",
                           quantities=quantities, plane_quantities=planes, viscous=sheet.flow.model
                           != "inviscid")


def _marks_in_space(sheet):
    """Where a body's instruments stand: list of {name, at, ring}, a meter with the corners of its frame."""
    i = sheet.instruments
    out = [{"name": p.name, "at": [p.x, p.y, p.z]} for p in i.probes]
    for m in i.meters:
        corners = [[m.x, m.y + a * 0.5 * m.width, m.z + b * 0.5 * m.height]
                   for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1))]
        out.append({"name": m.name, "at": corners[2], "ring": corners})
    return out


def _time_unit(sheet):
    """(what a recorded time is multiplied with, its unit's name)."""
    if sheet.space == "nozzle":
        setup = prepare(sheet)
        return 1e3 * setup.scale / setup.air.speed_of_sound, "ms"
    return 1.0, "chords"


def quantities_of(run, has_mean=False):
    """The quantities that a run's field has."""
    sheet = read_toml(run["sheet"])
    left_out = (set() if has_mean else {"fluctuation"}) | (
        set() if sheet.flow.model == "turbulent" else TURBULENT_ONLY
    ) | (set() if sheet.space == "section" else {"cp"}) | ({"vorticity"} if sheet.space == "row" else set())
    return {key: q for key, q in QUANTITIES.items() if key not in left_out}


def ranges(numbers):
    """Sorted whole numbers as pairs [first, one after the last] of those that follow each other."""
    breaks = np.nonzero(np.diff(numbers) != 1)[0] + 1
    return [[int(part[0]), int(part[-1]) + 1] for part in np.split(numbers, breaks) if len(part)]


def pack(picture, head, values):
    """Points, triangles, edges and values as one binary answer: header length, JSON header, arrays."""
    outline = np.concatenate(picture.wall)
    points, triangles = picture.turnable or (picture.points, picture.triangles)
    head |= {
        "points": len(points), "triangles": len(triangles), "edges": len(picture.edges),
        "outline": len(outline), "loops": [len(loop) for loop in picture.wall], "home": picture.home,
        "values": list(values), "window": picture.window, "circles": [{
            "centre": circle.centre.tolist(), "radius": circle.radius, "angle": circle.angle,
            "points": ranges(circle.points), "loops": circle.loops
        } for circle in picture.circles]
    }
    return packed(head, [
        points.astype("<f4"),
        triangles.astype("<u4"),
        picture.edges.astype("<u4"),
        outline.astype("<f4"), *(np.asarray(v).astype("<f4") for v in values.values())
    ])


@pages.get("/runs/<int:run_id>/field.bin")
def field(run_id):
    run_or_404(run_id)
    if "frame" in request.args:
        return _frame(run_id, request.args.get("frame", 0, type=int))
    level, picture, version = picture_of(run_id)
    tag = f"{run_id}-{version}"
    if request.if_none_match.contains(tag):
        return Response(status=304)
    quantities = [{
        "key": q.key, "label": q.label, "unit": q.unit, "diverging": q.diverging, "map": map_for(q),
        "range": default_range(picture.values[q.key], q.key, picture.points, picture.home,
                               picture.window)
    } for q in QUANTITIES.values() if q.key in picture.values]
    response = Response(
        pack(picture, {"level": level, "quantities": quantities, **_place_now(run_id)}, picture.values),
        mimetype="application/octet-stream")
    response.set_etag(tag)
    response.headers["Cache-Control"] = "no-cache"
    return response


def _frame(run_id, number):
    """Point values of one recorded moment: of the quantity asked for, and what the lines over it are made
    from."""
    version = runs.array_version(g.database, run_id, "frames")
    if not version or not runs.array_version(g.database, run_id, "field"):
        abort(404, "This run kept no frames.")
    setup, mesh, times, frames, mean = _load_frames(str(current_app.config["FOLDER"]), run_id, version)
    if not 0 <= number < len(times):
        abort(404, f"There are {len(times)} frames.")
    key = request.args.get("q", "mach")
    if key not in QUANTITIES:
        abort(404, f"“{key}” is no field.")
    place = _place(setup, float(times[number]))
    values = moment(setup, mesh, frames[number].astype(float) * setup.stream.column_scale[:4], mean,
                    {key, "mach", "u", "v"}, place.get("turned", ()))
    head = {
        "bare": True, "time": float(times[number]), **place, "quantities": [], "points": len(values["u"]),
        "triangles": 0, "edges": 0, "outline": 0, "loops": [],
        "values": list(values)
    }
    response = Response(packed(head, [np.asarray(v).astype("<f4") for v in values.values()]),
                        mimetype="application/octet-stream")
    response.headers["Cache-Control"] = "private, max-age=3600"
    return response


@pages.get("/runs/<int:run_id>/difference/<int:other_id>/field.bin")
@takes_long
def difference(run_id, other_id):
    """The first run's field minus the second's, on the first one's grid."""
    run_or_404(run_id), run_or_404(other_id)
    level, picture, _ = picture_of(run_id)
    _, other, _ = picture_of(other_id)
    values = differences(picture, other)
    quantities = []
    for q in (q for q in QUANTITIES.values() if q.key in values):
        left, right, bottom, top = picture.home or (-0.7, 1.7, -1.2, 1.2)
        x, y = picture.points.T
        near = np.abs(values[q.key][(x > left) & (x < right) & (y > bottom) & (y < top)])
        reach = max(float(np.percentile(near, 98.5)) if len(near) else 1.0, 1e-9)
        quantities.append({
            "key": q.key, "label": f"Difference of {q.label}", "unit": q.unit, "diverging": True,
            "map": "vik", "range": [-reach, reach]
        })
    return Response(pack(picture, {"level": level, "quantities": quantities}, values),
                    mimetype="application/octet-stream")


def differences(picture, other):
    """Point values of every quantity minus those of another drawable; zero where the other has no flow."""
    grid = Triangulation(*other.points.T, other.triangles)
    finder = grid.get_trifinder()
    out = {}
    for key in (key for key in [*QUANTITIES, "u", "v"] if key in picture.values and key in other.values):
        there = LinearTriInterpolator(grid, other.values[key], finder)(*picture.points.T)
        out[key] = np.where(np.ma.getmaskarray(there), 0.0, picture.values[key] - there.filled(0.0))
    return out


def _box(picture):
    """The window of the query, kept to where there is a flow and to a shape that can be drawn; the picture's
    own by default."""
    default = picture.home or picture.window or (-0.5, 1.6, -0.7, 0.7)
    try:
        box = np.array([finite(v) for v in request.args.get("box", "")[:200].split(",")])
    except ValueError:
        return default
    if len(box) != 4 or box[0] >= box[1] or box[2] >= box[3]:
        return default
    (left, bottom), (right, top) = picture.points.min(axis=0), picture.points.max(axis=0)
    box = np.clip(box, [left, left, bottom, bottom], [right, right, top, top])
    width, height = box[1] - box[0], box[3] - box[2]
    least = 1e-9 * max(right - left, top - bottom)
    if width <= least or height <= least:
        return default
    # Windows are seldom longer than five times their width; what is, is widened.
    grow = max(width / MOST_ASPECT - height, 0.0), max(height / MOST_ASPECT - width, 0.0)
    return float(box[0] - 0.5 * grow[1]), float(box[1] +
                                                0.5 * grow[1]), float(box[2] -
                                                                      0.5 * grow[0]), float(box[3] +
                                                                                            0.5 * grow[0])


def _count(name, default, low, high):
    return min(max(request.args.get(name, default, type=int), low), high)


@pages.get("/runs/<int:run_id>/lines")
@takes_long
def lines(run_id):
    """Streamlines from a rake, or vectors on a raster, for the window given as ``box``."""
    run_or_404(run_id)
    _, picture, _ = picture_of(run_id)
    box = _box(picture)
    sampler = FlowSampler(picture, box)
    if request.args.get("kind") == "vectors":
        start, velocity = vectors(sampler, _count("columns", 34, 5, 80))
        speed = np.linalg.norm(velocity, axis=1).max() if len(start) else 1.0
        return jsonify(start=start.round(5).tolist(),
                       velocity=(velocity / max(speed, 1e-9)).round(4).tolist(), fastest=float(speed))
    by, box = _colour(picture), where_air_is(picture, box)
    wanted = _lines(_count("count", 24, 0, MOST_LINES), "low", "high")
    traced = trace(wanted, sampler, box)
    answer = {
        "lines": [line.round(5).tolist() for line in traced], "rake": wanted.rake(box)
    }
    if by:
        answer["values"] = [values.round(5).tolist() for values in sampler.along(traced, by)]
    return jsonify(answer)


@pages.get("/runs/<int:run_id>/streaks")
@takes_long
def streaks(run_id):
    """Streaklines from the rake and points of the query in its window, for every recorded moment."""
    run_or_404(run_id)
    found, _ = _streaks(run_id, _lines(_count("count", 24, 0, MOST_STREAKS), "low", "high"))
    return jsonify(frames=[[line.round(4).tolist() for line in lines] for lines in found])


def _streaks(run_id, wanted):
    """(streaklines of every recorded moment in the picture's axes, place) of `PlaneLines`; place(points) puts
    those of the last moment where they stand."""
    _, picture, _ = picture_of(run_id)
    version = runs.array_version(g.database, run_id, "frames")
    if not version:
        abort(404, "This run kept no frames.")
    setup, mesh, times, frames, _ = _load_frames(str(current_app.config["FOLDER"]), run_id, version)
    if len(times) < 3:
        abort(404, "Streaklines need three frames and more: raise the frames to keep.")
    box, moments = where_air_is(picture, _box(picture)), recorded(setup, mesh, picture, times, frames)
    place = moments.place or (lambda points, time: points)
    return streaklines(moments, wanted.seeds(box), box), lambda points: place(points, float(times[-1]))


def _lines(count, low="lo", high="hi", arrows=0.0):
    """`PlaneLines` of the query; what cannot be drawn is an answer that says so."""
    given = {"count": count, "arrows": arrows, "by": request.args.get("by", "")}
    given |= {name: request.args.get(key, type=finite) for name, key in (("x", "x"), ("low", low),
                                                                         ("high", high))}
    given |= {name: request.args.get(name, type=finite) for name in ("width", "opacity")
              if request.args.get(name)}
    try:
        at = [finite(v) for v in request.args.get("at", "")[:2000].split(",") if v]
        return PlaneLines.from_dict(given | {"through": list(zip(at[::2], at[1::2]))})
    except (ValueError, TypeError) as error:
        abort(400, f"{error}"[:200])


def _colour(drawn):
    """The field that streamlines are coloured by, or nothing."""
    by = request.args.get("by", "")
    if by and by not in drawn.values:
        abort(404, "This run has no such field.")
    return by


@pages.get("/runs/<int:run_id>/picture.<form>")
@takes_long
def picture(run_id, form):
    """A picture for a document: PNG or SVG of the view described by the query."""
    run = run_or_404(run_id)
    if form not in ("png", "svg"):
        abort(404)
    key = request.args.get("q", "mach")
    if key not in QUANTITIES:
        abort(404)
    level, drawn, _ = picture_of(run_id)
    if key not in drawn.values:
        abort(404, "This run has no such field.")
    _colour(drawn)
    sheet = read_toml(run["sheet"])
    flag, paths = lambda name: request.args.get(name, "0") == "1", []
    if flag("streak"):
        every, place = _streaks(run_id, _lines(_count("count", 24, 1, MOST_STREAKS)))
        paths = every[-1] if flag("riding") else [place(line) for line in every[-1]]
    if _motions(sheet) and not drawn.circles and not flag("riding"):
        setup = prepare(sheet)
        drawn = placed(drawn, setup.moving.motion, _time_of(run_id) / setup.stream.mach)
    span = None
    if "low" in request.args and "high" in request.args:
        low, high = request.args.get("low", type=finite), request.args.get("high", type=finite)
        span = (
            low, high
        ) if low is not None and high is not None and high - low > 1e-9 * max(abs(low), abs(high)) else None
    name = request.args.get("map")
    title = f"{run['campaign_name']}: {run['variant_name']} at {run['point_name']}, {level} grid"
    longer = min(max(request.args.get("arrows", 0.0, type=finite) or 0.0, -1.0), 1.0)
    arrows = 3.0**longer if flag("vectors") else 0.0
    lines = _lines(_count("count", 24, 1, MOST_LINES) if flag("stream") else 0, arrows=arrows)
    data = field_picture(drawn, key, form, _box(drawn), span, name if name in OFFERED else None,
                         flag("bands"), flag("iso"), flag("sonic"), lines,
                         SMALL if "small" in request.args else 9.0,
                         "" if "small" in request.args else title, reversed_flow=flag("reversed"),
                         cells=flag("grid"), paths=paths)
    if "inline" in request.args:
        return Response(data, mimetype="image/svg+xml" if form == "svg" else "image/png")
    return download(data, f"{plain_name(run['variant_name'] + ' ' + run['point_name'])}-{key}.{form}",
                    "image/svg+xml" if form == "svg" else "image/png")


@pages.get("/runs/<int:run_id>/thumbnail.png")
@takes_long
def thumbnail(run_id):
    """A small picture of the run, drawn once and kept."""
    run = run_or_404(run_id)
    kept = runs.kept_array(g.database, run_id, "picture") if run["state"] in runs.ENDED else None
    if kept is None:
        kept = small_picture(drawn_of(run_id, read_toml(run["sheet"]).space))
        if run["state"] in runs.ENDED:
            runs.keep_array(g.database, run_id, "picture", kept)
    response = Response(kept, mimetype="image/png")
    response.headers["Cache-Control"] = "private, max-age=300"
    return response


@pages.get("/colours/<name>.bin")
def colours(name):
    """A colour map as 256 RGB triples."""
    if name not in OFFERED:
        abort(404)
    response = Response(table(name).tobytes(), mimetype="application/octet-stream")
    response.headers["Cache-Control"] = "public, max-age=86400"
    return response
