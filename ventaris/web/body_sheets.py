"""What the run sheet of a body needs beyond the form: its picture in space, and surfaces brought in as
parts."""
from dataclasses import replace

import numpy as np
from flask import Blueprint, Response, g, jsonify, request

from ..core.formats.surfaces import write_surface
from ..core.look.body_surface import drawn_surface
from ..core.shapes.assembly import assemble
from ..core.shapes.coordinates import ShapeError
from ..core.sheet import SheetError, read_section
from ..store import campaigns as store
from .body_looks import answered
from .campaigns import download, import_part, plain_name
from .sheets import cell_or_404, form_values, stored_values

pages = Blueprint("body_sheets", __name__)
# Triangles are not divided for the preview: nothing is mapped on them.
UNDIVIDED = np.inf


@pages.post("/sheet/<int:variant_id>/<int:point_id>/body.bin")
def preview(variant_id, point_id):
    """The body of the form's values, for the canvas."""
    campaign, variant, point = cell_or_404(variant_id, point_id, "body")
    values = form_values(request.form, stored_values(campaign, variant, point), "body")
    try:
        shape = read_section("shape", values["shape"], "body")
        body = assemble(shape)
        domain = read_section("domain", values["domain"], "body")
    except (SheetError, ShapeError, ValueError):
        # The preflight says what is wrong; the picture stays as it was.
        return Response(status=422)
    # Its named surfaces, so that those which were picked can be told apart.
    surface = replace(body.surface, part=body.surface.patch, parts=body.surface.patches)
    drawn = drawn_surface(surface, UNDIVIDED)
    named = {region.name for region in shape.regions}
    low, high = body.surface.box
    ground = float(low[2] - domain.clearance) if domain.kind == "ground" else None
    return answered(
        {
            "groups": drawn.groups(), "named": [name for name in surface.parts if name in named],
            "box": [low.tolist(), high.tolist()], "ground": ground, "moving": domain.ground == "moving"
        }, {"points": drawn.points, "normals": drawn.normals, "triangles": drawn.triangles})


@pages.post("/sheet/<int:variant_id>/<int:point_id>/import")
def bring_in(variant_id, point_id):
    """Add an uploaded surface to the variant as a further part."""
    _, variant, _ = cell_or_404(variant_id, point_id, "body")
    try:
        part = import_part(request.files.get("file"), request.form)
        names = [p["name"] for p in variant["shape"]["parts"]]
        stem, k = part["name"], 2
        while part["name"] in names:
            part["name"], k = f"{stem} {k}", k + 1
        shape = {**variant["shape"], "parts": variant["shape"]["parts"] + [part]}
        store.save_shape(g.database, variant_id, variant["revision"], variant["name"], shape)
    except SheetError as error:
        return jsonify(problem=error.problems[0][1]), 400
    return jsonify(part=part["name"])


@pages.get("/variants/<int:variant_id>/body.<kind>")
def surface_file(variant_id, kind):
    """The variant's assembled body as a file: STL, OBJ, PLY or GLB, in metres."""
    variant = store.variant(g.database, variant_id)
    if variant is None or kind not in ("stl", "obj", "ply", "glb"):
        return Response(status=404)
    body = assemble(read_section("shape", variant["shape"], "body"))
    return download(write_surface(body.surface, kind), f"{plain_name(variant['name'])}.{kind}",
                    "application/octet-stream")
