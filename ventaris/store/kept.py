"""What a run keeps to be looked at, packed by what it is and not by whose it is."""
from ..core.look.body_field import BodyField
from .body_fields import pack_body_field
from .fields import pack_field, pack_rows, pack_taps


def pack_kept_field(field):
    """A `BodyField`, or (level, Mesh, state), as compressed bytes."""
    return pack_body_field(field) if isinstance(field, BodyField) else pack_field(*field)


def pack_kept_readings(readings):
    """{line: columns}, or a `TapRow`, as compressed bytes."""
    return pack_rows(readings) if isinstance(readings, dict) else pack_taps(readings)
