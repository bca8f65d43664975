"""The edits of a body, as a run sheet gives them: what a variant changes of an assembled body."""
from typing import Literal

from pydantic import model_validator

from .fields import SheetSection, choice, number, text

KINDS = {
    "stretch": "stretch a region", "taper": "taper a tail", "mirror": "add the mirror image", "row":
    "repeat in a row", "ring": "repeat round an axis", "cut": "cut off by a plane", "subtract":
    "cut a part out of another", "unite": "unite parts", "close": "close holes", "drop":
    "leave out small pieces"
}
ALONG = {"kind": ("stretch", "taper")}
COPIES = {"kind": ("row", "ring")}
# Of what a copy of a part is called: the part's own name and a number, or this word.
MIRRORED = "mirrored"
MOST_COPIES = 60


class Edit(SheetSection):
    """A change of the assembled body that makes a variant."""

    kind: Literal["stretch", "taper", "mirror", "row", "ring", "cut", "subtract", "unite", "close",
                  "drop"] = choice(
                      "stretch", "Edit",
                      "Edits are made one after another, on what those before have left. Cutting and uniting "
                      "need closed parts.", **KINDS)
    part: str = text("", "Part", "Empty is the whole body; copies go by their number: fin 2.", 40)
    other: str = text(
        "", "With the part", "The one that is cut out, and is gone then; or the one united with it, empty "
        "being all others.", 40, when={"kind": ("subtract", "unite")})
    start: float = number(1.0, "m", -1e4, 1e4, "From x", "", when=ALONG)
    end: float = number(2.0, "m", -1e4, 1e4, "To x", "", when=ALONG)
    of: Literal["region", "whole"] = choice(
        "region", "By a share of",
        "A stretch lengthens the region by a share of its own length, or by a share of the whole body's.",
        when={"kind": "stretch"}, region="the region", whole="the whole length")
    share: float = number(
        10.0, "%", -99, 1000, "By",
        "Stretch: longer by this share. Taper: narrower at the second station by this share.", when=ALONG)
    axis: Literal["x", "y", "z"] = choice(
        "y", "Axis", "Across the plane of a cut or a mirror; round which a ring is made.",
        when={"kind": ("mirror", "cut", "ring")}, x="x, along the body", y="y, to the left", z="z, upwards")
    at: float = number(0.0, "m", -1e4, 1e4, "Plane at", "On that axis.", when={"kind": ("mirror", "cut")})
    tilt: float = number(0.0, "deg", -89, 89, "Tilted by",
                         "About y, nose up; a plane across y about z.", when={"kind": "cut"})
    keep: Literal["below", "above"] = choice(
        "below", "Stays", "What lies at smaller or at larger values of the axis.", when={"kind": "cut"},
        below="smaller values", above="larger values")
    count: int = number(3, "", 2, MOST_COPIES, "Pieces in all", "", whole=True, when=COPIES)
    step_x: float = number(0.0, "m", -1e4, 1e4, "Step along x", "", when={"kind": "row"})
    step_y: float = number(0.0, "m", -1e4, 1e4, "Step along y", "", when={"kind": "row"})
    step_z: float = number(0.0, "m", -1e4, 1e4, "Step along z", "", when={"kind": "row"})
    angle: float | None = number(None, "deg", -360, 360, "Angle between them",
                                 "Empty spreads them over the whole turn.", when={"kind": "ring"})
    x: float = number(0.0, "m", -1e4, 1e4, "Axis through x", "", when={"kind": "ring"})
    y: float = number(0.0, "m", -1e4, 1e4, "through y", "", when={"kind": "ring"})
    z: float = number(0.0, "m", -1e4, 1e4, "through z", "", when={"kind": "ring"})
    width: float = number(0.01, "m", above=0, high=1e3, label="Up to a width of",
                          help="Of a hole across its narrow side; of a piece its longest side.",
                          when={"kind": ("close", "drop")})

    @model_validator(mode="after")
    def _fits(self):
        if self.kind in ("stretch", "taper") and self.end <= self.start:
            raise ValueError(
                f"shape.edits: the region runs from {self.start:g} to {self.end:g} m; the second station "
                "must lie behind the first")
        if self.kind == "row" and not (self.step_x or self.step_y or self.step_z):
            raise ValueError("shape.edits: a row whose steps are all 0 puts every piece on the first one. "
                             "Give a step along x, y or z")
        if self.kind == "ring" and self.angle == 0:
            raise ValueError("shape.edits: a ring with 0° between its pieces puts every piece on the first "
                             "one. Leave the angle empty to spread them over the whole turn")
        if self.kind == "subtract" and not (self.part and self.other):
            raise ValueError("shape.edits: to cut a part out, name both: the part that stays (part) and the "
                             "one that is cut out of it (other)")
        if self.kind in ("subtract", "unite") and self.part and self.part == self.other:
            raise ValueError(f"shape.edits: “{self.part}” is named twice. Name another part to {self.kind}")
        return self

    def named(self, names):
        """The names that stand after this edit, of those before; `subtract` and `unite` leave fewer."""
        own = [name for name in names if self.part in ("", name)]
        if self.kind == "mirror":
            return [*names, *(f"{name} {MIRRORED}" for name in own)]
        if self.kind in ("row", "ring"):
            return [*names, *(f"{name} {k}" for k in range(2, self.count + 1) for name in own)]
        return names


def check_edits(edits, parts):
    """See that edits name parts that are there, by the names of a sheet's parts; raises ValueError."""
    names = list(parts)
    for edit in edits:
        for wanted in (edit.part, edit.other if edit.kind in ("subtract", "unite") else ""):
            if wanted and wanted not in names:
                raise ValueError(f"shape.edits: there is no part “{wanted}”. There are: {', '.join(names)}")
        names = edit.named(names)
