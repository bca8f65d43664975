"""A way of looking at a body in space that is kept, and drawn for any run of a campaign."""
import json
from dataclasses import dataclass

import numpy as np
from matplotlib.colors import to_rgb
from matplotlib.figure import Figure

from .body_field import SURFACE_QUANTITIES
from .body_lines import axes_across, level_lines, oil_lines
from .body_scene import CutPlane, Iso, Rake, SceneError, domain, number
from .colours import BANDS, colour_map, map_for, table
from .picture import INK, PAPER, png_bytes
from .plane_lines import OPACITIES, WIDTHS
from .raster import Camera, Canvas
from .saved_view import ViewError, name_of
from .spans import span_in_air, span_on_body

BODY, GROUND, EDGE, WHITE = "#D9D4C6", "#9A9484", "#5B676B", "white"
ASPECT, FINER, DPI, OIL_LINES = 1.52, 2, 110, 700
MOST_PLANES, LONGEST_LOOK = 8, 8000
ARROWS_OF_PLANE, ARROW = 1500, 0.05
LEGEND_ROW = 0.33


@dataclass(frozen=True)
class BodyView:
    """A view of a body.

    Attributes
    ----------
    name : str
    look : dict
        What the flow page has in its address: it brings the view back there.
    target, direction : tuple of 3 floats
        In metres, and from the target to the eye.
    distance : float
    quantity : str
        A key of `SURFACE_QUANTITIES`; "" shows the body plain.
    span : tuple of 2 floats, or None
        Of its colours; each run's own where None.
    planes : tuple of CutPlane
    rake : Rake or None
    iso : Iso or None
    shown : frozenset of str
        Of banded, oil, ground and domain.
    parts : dict of str to float
        Opacity of parts that are not fully seen.
    arrows, width, opacity : float
        Length of arrows over their usual one; streamlines in pixels.
    """

    name: str
    look: dict
    target: tuple
    direction: tuple
    distance: float
    quantity: str = "cp"
    span: tuple | None = None
    planes: tuple = ()
    rake: Rake | None = None
    iso: Iso | None = None
    shown: frozenset = frozenset()
    parts: dict | None = None
    arrows: float = 1.0
    width: float = 1.4
    opacity: float = 1.0

    @classmethod
    def from_dict(cls, found):
        """From what `as_dict` made, or a page; raises `ViewError`."""
        name, look = name_of(found), found.get("look")
        try:
            if not isinstance(look, dict) or len(json.dumps(look)) > LONGEST_LOOK:
                raise SceneError("look: give the camera, fields and planes of the view.")
            return cls(name, look, *_camera(look), **_contents(look))
        except (SceneError, TypeError, KeyError, AttributeError, ValueError) as error:
            raise ViewError(f"{error}"[:300]) from None

    def as_dict(self):
        """As plain values."""
        return {"kind": "body", "name": self.name, "look": self.look}

    def words(self):
        """What it shows, in a few words."""
        words = [SURFACE_QUANTITIES[self.quantity].label if self.quantity else "the body"]
        words += [f"{len(self.planes)} cut plane{'s' if len(self.planes) > 1 else ''}"] if self.planes else []
        words += ["streamlines"] if self.rake else []
        words += ["an iso-surface"] if self.iso else []
        return ", ".join(words + (["oil flow"] if "oil" in self.shown else []))

    def query(self):
        """As the flow page's address has it, a dict."""
        return {"look": json.dumps(self.look)}

    def scene(self, field, drawn):
        """`Scene` of a flow (`BodyField`, `DrawnSurface`)."""
        return Scene(self, field, drawn)

    def draw(self, drawn, width=5.4):
        """PNG of a flow in space (`BodyField`, `DrawnSurface`), or None of one in a plane."""
        return self.scene(*drawn).draw(width=width) if isinstance(drawn, tuple) else None


def _camera(look):
    """(target, direction, distance) of a look."""
    values = [number({"view": v}, "view") for v in look["view"]]
    if len(values) != 7 or None in values or not values[6] > 0 or not any(values[3:6]):
        raise SceneError("view: give target, direction and distance, seven numbers.")
    return tuple(values[:3]), tuple(values[3:6]), values[6]


def _contents(look):
    """What a look shows, as keyword arguments of `BodyView`."""
    fields = look.get("fields", {})
    given = lambda name, *ends: number({name: fields.get(name)}, name, *ends)
    quantity, low, high = fields.get("quantity", "cp"), given("low"), given("high")
    if quantity and quantity not in SURFACE_QUANTITIES:
        raise SceneError(f"quantity: “{str(quantity)[:40]}” is not read on a body.")
    planes = look.get("planes", [])
    if len(planes) > MOST_PLANES:
        raise SceneError(f"planes: {len(planes)}; at most {MOST_PLANES} are kept.")
    out = {
        "quantity": quantity, "span": (low, high) if None not in (low, high) and high > low else None,
        "planes": tuple(map(CutPlane.from_dict, planes)), "shown": frozenset(map(str, look.get("on", []))),
        "parts": {str(name): number({"opacity": v}, "opacity", 1.0, 0.0, 1.0)
                  for name, v in look.get("parts", {}).items()},
        "arrows": 3.0**given("arrows", 0.0, -1.0, 1.0), "width": given("line-width", 1.4, *WIDTHS),
        "opacity": given("line-opacity", 1.0, *OPACITIES)
    }
    if fields.get("rake-kind"):
        centre = [given(f"rake-{axis}") for axis in "xyz"]
        out["rake"] = Rake.from_dict({
            "kind": fields["rake-kind"], "count": fields.get("rake-count"), "size": fields.get("rake-size"),
            "by": fields.get("rake-by"), "centre": None if None in centre else centre,
            "normal": look.get("normal"), "part": look.get("part")
        })
    if fields.get("iso"):
        out["iso"] = Iso.from_dict({"key": fields["iso"], "value": fields.get("iso-value"),
                                    "by": fields.get("iso-by")})
    return out


class Scene:
    """A view of one flow, made ready to be drawn.

    Attributes
    ----------
    scales : dict of str to (Quantity, (low, high), words)
        What is coloured by what; with other ends several scenes get the same colours.
    """
    def __init__(self, view, field, drawn):
        self.view, self.field, self.drawn = view, field, drawn
        self.scales, self.readings, self.lines, self.iso = {}, None, [], None
        if view.quantity:
            q = SURFACE_QUANTITIES[view.quantity]
            self.readings = field.readings(drawn.points, drawn.normals)[view.quantity]
            self.scales["surface"] = q, view.span or span_on_body(q, self.readings), "on the body"
        self.planes = []
        for k, plane in enumerate(p for p in view.planes if p.q in field.quantities):
            cut = plane.cut(field, drawn)
            self.planes.append((f"plane-{k}", plane, cut))
            self.scales[f"plane-{k}"] = field.quantities[plane.q], plane.span(field, *cut[1:3]), "plane"
        if view.rake and (not view.rake.by or view.rake.by in field.quantities):
            try:
                self.lines = view.rake.lines(field, drawn)
            except SceneError:
                # This variant has no such part.
                self.lines = []
            self.scales["streams"] = *view.rake.colours(field, self.lines), "streamlines"
        if view.iso and view.iso.by in field.quantities:
            self.iso = view.iso.made(field, drawn)
            if self.iso:
                q = field.quantities[view.iso.by]
                self.scales["iso"] = q, span_in_air(q, self.iso[1]), "iso-surface"

    def draw(self, scales=None, width=5.4):
        """PNG, `width` inches wide, with the scales under it."""
        scales = scales or self.scales
        pixels = int(width * DPI) * FINER
        view, height = self.view, int(pixels / ASPECT) // FINER * FINER
        canvas = Canvas(Camera(view.target, view.direction, view.distance, pixels, height), to_rgb(PAPER))
        self._surfaces(canvas, scales)
        self._strokes(canvas, scales, pixels / 930)
        fine = canvas.colour.reshape(height // FINER, FINER, pixels // FINER, FINER, 3)
        return _framed(fine.mean(axis=(1, 3)), [scales[name] for name in self.scales], width)

    def _colours(self, name, scales):
        """The function from values of a layer to colours."""
        q, (low, high), _ = scales[name]
        colours, banded = table(map_for(q)) / 255, "banded" in self.view.shown

        def of(values):
            share = np.clip((values - low) / (high - low), 0.0, 1.0)
            if banded:
                share = (np.floor(np.minimum(share, 0.99999) * BANDS) + 0.5) / BANDS
            return colours[np.round(np.nan_to_num(share) * 255).astype(int)]

        return of

    def _clip(self, camera):
        """What an opened body is cut by: what lies before the plane goes."""
        for _, plane, (points, triangles, *_) in self.planes:
            if plane.open and len(triangles):
                normal = plane.direction()
                side = 1.0 if normal @ camera.axes()[2] > 0 else -1.0
                return side * normal, side * float(points[0] @ normal) * self.field.scale
        return None

    def _surfaces(self, canvas, scales):
        """Planes, the body's parts (those that are seen through last) and the iso-surface."""
        scale, drawn, view = self.field.scale, self.drawn, self.view
        for name, _, (points, triangles, values, *_) in self.planes:
            canvas.surface(points * scale, triangles, self._colours(name, scales), values)
        if self.iso:
            found, values = self.iso
            canvas.surface(found.points * scale, found.triangles, self._colours("iso", scales), values,
                           found.normals)
        plain = lambda values: np.broadcast_to(to_rgb(BODY), (len(values), 3))
        colour_of = self._colours("surface", scales) if view.quantity else plain
        opacities = np.array([(view.parts or {}).get(name, 1.0) for name in drawn.parts])[drawn.part]
        for opacity in sorted(set(opacities.tolist()), reverse=True):
            if opacity > 0:
                canvas.surface(drawn.points * scale, drawn.triangles[opacities == opacity], colour_of,
                               self.readings, drawn.normals, opacity, self._clip(canvas.camera))

    def _strokes(self, canvas, scales, pixel):
        """Streamlines, oil flow, arrows, the ground and the domain's box."""
        scale, view, field = self.field.scale, self.view, self.field
        segments = lambda lines: (np.concatenate([line[:-1] for line in lines]) * scale,
                                  np.concatenate([line[1:] for line in lines]) * scale)
        if self.lines:
            colours = self._colours("streams", scales)(np.concatenate([own[:-1] for _, own in self.lines]))
            canvas.lines(*segments([points for points, _ in self.lines]), colours, view.width * pixel,
                         view.opacity)
        if "oil" in view.shown and np.any(field.wall_shear):
            canvas.lines(*segments(oil_lines(field, self.drawn, OIL_LINES)), to_rgb(INK), pixel)
        for name, plane, (points, triangles, values, velocity, mach) in self.planes:
            if plane.vectors and len(triangles):
                canvas.lines(*self._arrows(plane, points * scale, triangles, velocity), to_rgb(INK), pixel)
            if plane.iso:
                levels = np.linspace(*scales[name][1], BANDS + 1)[1:-1]
                found = level_lines(points * scale, triangles, values, levels)
                canvas.lines(*found, to_rgb(INK), 0.7 * pixel, 0.6)
            if plane.sonic:
                sonic = level_lines(points * scale, triangles, mach, (1.0, ))
                canvas.lines(*sonic, to_rgb(WHITE), 3.0 * pixel)
                canvas.lines(*sonic, to_rgb(INK), 1.2 * pixel)
        low, high = domain(field) * scale
        floor = self.drawn.points[:, 2].min() * scale - low[2]
        if "ground" in view.shown and floor < 0.5 * np.ptp(self.drawn.points, axis=0).max() * scale:
            canvas.lines(*self._ground(low[2]), to_rgb(GROUND), pixel, 0.5)
        if "domain" in view.shown:
            corners = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)])
            pairs = [(a, b) for a in range(8) for b in range(a) if np.abs(corners[a] - corners[b]).sum() == 1]
            at = low + corners * (high - low)
            canvas.lines(*(at[[pair[k] for pair in pairs]] for k in (0, 1)), to_rgb(EDGE), pixel)

    def _arrows(self, plane, points, triangles, velocity):
        """(starts, ends) of arrows on a raster over a plane, with their barbs."""
        used = np.unique(triangles)
        normal = plane.direction()
        flat = points[used] @ np.stack(axes_across(normal), axis=1)
        step = np.sqrt(max(np.prod(np.ptp(flat, axis=0)), 1e-18) / ARROWS_OF_PLANE)
        _, chosen = np.unique(np.floor(flat / step).astype(int), axis=0, return_index=True)
        start = points[used[chosen]]
        size = np.ptp(self.drawn.points, axis=0).max() * self.field.scale
        way = velocity[used[chosen]] * ARROW * size * self.view.arrows
        tip, across = start + way, 0.14 * np.cross(way, normal)
        barbs = [tip - 0.28 * way + sign * across for sign in (1.0, -1.0)]
        return np.concatenate([start, tip, tip]), np.concatenate([tip, *barbs])

    def _ground(self, z):
        """(starts, ends) of lines on the ground."""
        points = self.drawn.points * self.field.scale
        low, high = points.min(axis=0), points.max(axis=0)
        size, middle = float((high - low).max()), 0.5 * (low + high)[1]
        x = np.linspace(low[0] - size, high[0] + size, 21)
        left, right = (np.stack([x, np.full(21, middle + side * size), np.full(21, z)], axis=1)
                       for side in (-1.2, 1.2))
        return np.concatenate([left, left[:1], right[:1]]), np.concatenate([right, left[-1:], right[-1:]])


def _framed(image, scales, width):
    """A picture with its scales under it as PNG."""
    high = width * image.shape[0] / image.shape[1]
    foot = LEGEND_ROW * len(scales) + (0.12 if scales else 0.0)
    figure = Figure(figsize=(width, high + foot), facecolor=PAPER)
    axes = figure.add_axes((0, foot / (high + foot), 1, high / (high + foot)))
    axes.imshow(image, interpolation="nearest", aspect="auto")
    axes.axis("off")
    for k, (q, (low, high_end), words) in enumerate(scales):
        y = (foot - LEGEND_ROW * (k + 1) + 0.16) / (high + foot)
        bar = figure.add_axes((0.55, y, 0.4, 0.1 / (high + foot)))
        bar.imshow(np.linspace(0, 1, 256)[None], aspect="auto", extent=(low, high_end, 0, 1),
                   cmap=colour_map(map_for(q)))
        bar.set_yticks([])
        bar.tick_params(labelsize=7, length=2)
        unit = f", {q.unit}" if q.unit else ""
        figure.text(0.53, y, f"{words}: {q.label}{unit}", fontsize=7.5, ha="right", color=INK)
    return png_bytes(figure, DPI)


def draw_bodies_alike(view, flows, width=5.4):
    """PNGs of a view of several flows in space, every scale with the same ends in all; None for flows in a
    plane."""
    scenes = [view.scene(*flow) if isinstance(flow, tuple) else None for flow in flows]
    scales = {}
    for scene in filter(None, scenes):
        for name, (q, (low, high), words) in scene.scales.items():
            before = scales.get(name, (q, (low, high), words))[1]
            scales[name] = q, (min(low, before[0]), max(high, before[1])), words
    return [scene and scene.draw(scales, width) for scene in scenes]
