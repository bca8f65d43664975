"""Fields round bodies as compressed arrays."""
import io
import json

import numpy as np

from ..core.look.body_field import BodyField, octree_from
from .fields import planes, whole

MEAN_COLUMNS = 6


def pack_body_field(field):
    """A `BodyField` as compressed bytes, in single precision."""
    t = field.tree
    head = {
        "space": "body", "level": field.level, "scale": field.scale, "low": t.low.tolist(), "step": t.step,
        "counts": [int(c) for c in t.counts], "columns": field.state.shape[1], "half": field.half,
        "mean": field.mean is not None, "wall": sorted(field.wall_values)
    }
    out = io.BytesIO()
    # Leaves follow each other along a curve: their differences are small numbers.
    np.savez_compressed(
        out, head=np.frombuffer(json.dumps(head).encode(),
                                dtype=np.uint8), corner=np.diff(t.corner.astype(np.int32), axis=0, prepend=0),
        width=np.log2(t.width).astype(np.uint8), cell=np.diff(field.leaf_cell.astype(np.int32), prepend=0),
        state=planes(field.state), centre=field.wall_centre.astype(np.float32),
        normal=field.wall_normal.astype(np.float16), shear=field.wall_shear.astype(np.float16),
        **({"mean": planes(field.mean)} if field.mean is not None else {}),
        **{f"wall_{name}": field.wall_values[name].astype(np.float32)
           for name in head["wall"]})
    return out.getvalue()


def unpack_body_field(data, air=None):
    """The `BodyField` of packed bytes."""
    with np.load(io.BytesIO(data), allow_pickle=False) as stored:
        head = json.loads(bytes(stored["head"]))
        corner = np.cumsum(stored["corner"], axis=0, dtype=np.int64)
        width = np.left_shift(np.int64(1), stored["width"].astype(np.int64))
        cell = np.cumsum(stored["cell"], dtype=np.int64)
        values = {name: stored[f"wall_{name}"].astype(float) for name in head["wall"]}
        tree = octree_from(head["low"], head["step"], head["counts"], corner, width)
        return BodyField(head["level"], head["scale"], tree, cell, whole(stored["state"], head["columns"]),
                         stored["centre"].astype(float), stored["normal"].astype(float), values,
                         stored["shear"].astype(float), head["half"], air,
                         mean=whole(stored["mean"], MEAN_COLUMNS) if head.get("mean") else None)
