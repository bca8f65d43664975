"""Stored fields, made ready to be drawn."""
from ..core.look.body_picture import body_thumbnail
from ..core.look.body_surface import drawn_for
from ..core.look.picture import thumbnail_picture
from ..core.shapes.assembly import assemble
from ..core.study.kinds.body.ready import body_air
from ..core.study.kinds.registry import kind_of
from ..core.study.setup import prepare
from .body_fields import unpack_body_field
from .fields import unpack_field


def drawn_field(sheet, data, mean=None):
    """What is drawn of a stored field: a `Drawable` of a plane, or (`BodyField`, `DrawnSurface`)."""
    kind = kind_of(sheet)
    if kind.is_spatial:
        body = assemble(sheet.shape)
        field = unpack_body_field(data)
        field.air = body_air(sheet, body)
        return field, drawn_for(field, body.surface)
    _, mesh, state = unpack_field(data)
    return kind.drawable(prepare(sheet), mesh, state, mean)


def small_picture(drawn):
    """A small picture, as PNG, of what `drawn_field` gave."""
    return body_thumbnail(*drawn) if isinstance(drawn, tuple) else thumbnail_picture(drawn)
