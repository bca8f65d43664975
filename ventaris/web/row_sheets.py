"""What the run sheet of a blade row needs beyond the form: sections from the plan, and tables of sections."""
from flask import Blueprint, g, redirect, request, url_for

from ..core.formats.section_tables import read_inlet, read_sections, write_inlet, write_sections
from ..core.formats.tables import TableError
from ..core.shapes.coordinates import ShapeError
from ..core.shapes.rows import section_values
from ..core.sheet import SheetError, read_section
from ..store import campaigns as store
from .campaigns import download, plain_name
from .sheets import cell_or_404

pages = Blueprint("row_sheets", __name__)
LARGEST_TABLE = 200_000


@pages.post("/sheet/<int:variant_id>/<int:point_id>/sections")
def take_over(variant_id, point_id):
    """Make the plan's sections, or those of an uploaded table, the variant's own."""
    _, variant, _ = cell_or_404(variant_id, point_id, "row")
    if request.form.get("from") == "plan":
        sections = planned_sections(variant["shape"])
    else:
        sections = _uploaded(read_sections, "sections")
    shape = {**variant["shape"], "made": "sections", "sections": sections}
    store.save_shape(g.database, variant_id, variant["revision"], variant["name"], shape)
    return redirect(url_for("sheets.show", variant_id=variant_id, point_id=point_id))


@pages.post("/sheet/<int:variant_id>/<int:point_id>/inlet")
def bring_in_inlet(variant_id, point_id):
    """Make an uploaded table the operating point's inlet over the span."""
    _, _, point = cell_or_404(variant_id, point_id, "row")
    air = read_section("air", point["air"], "row").model_dump()
    even = {name: air[name] for name in ("total_pressure", "total_temperature", "swirl")}
    air["profile"] = _uploaded(lambda data: read_inlet(data, even), "what comes in over the span")
    store.save_air(g.database, point_id, point["revision"], point["name"],
                   read_section("air", air, "row").model_dump())
    return redirect(url_for("sheets.show", variant_id=variant_id, point_id=point_id))


@pages.get("/points/<int:point_id>/inlet.csv")
def inlet_table(point_id):
    """An operating point's inlet over the span as CSV; an even one as its two ends."""
    point = store.point(g.database, point_id)
    if point is None or store.space_of(g.database, point["campaign_id"]) != "row":
        raise SheetError([("point", "This operating point is none of a blade row.")])
    air = read_section("air", point["air"], "row").model_dump()
    stations = air["profile"] or [{**air, "span": span} for span in (0.0, 100.0)]
    return download(write_inlet(stations), f"{plain_name(point['name'])}-inlet.csv",
                    "text/plain; charset=utf-8")


def _uploaded(read, what):
    """What a reader makes of the file that came with a form; raises SheetError."""
    upload = request.files.get("file")
    if upload is None or not upload.filename:
        raise SheetError([("file", f"Choose a CSV file with {what} first.")])
    try:
        return read(upload.read(LARGEST_TABLE + 1))
    except TableError as error:
        raise SheetError([("file", str(error))]) from None


def planned_sections(shape):
    """A shape's sections as they are built, as values of the sheet; raises SheetError."""
    try:
        return section_values(read_section("shape", shape, "row"))
    except ShapeError as error:
        raise SheetError([("shape", str(error))]) from None


@pages.get("/variants/<int:variant_id>/sections.csv")
def table(variant_id):
    """The variant's sections as CSV, those of a plan too."""
    variant = store.variant(g.database, variant_id)
    if variant is None or store.space_of(g.database, variant["campaign_id"]) != "row":
        raise SheetError([("variant", "This variant is no blade row.")])
    return download(write_sections(planned_sections(variant["shape"])),
                    f"{plain_name(variant['name'])}-sections.csv", "text/plain; charset=utf-8")
