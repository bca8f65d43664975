"""Fields and tap rows as compressed arrays: enough to look at them in any later version."""
import io
import json

import numpy as np

from ..core.grids.mesh import mesh_from_cells, revolve
from ..core.grids.turning_zone import Circle, points_turned, seam_edges, sew
from ..core.instruments.taps import TapRow

MORE_TAPS = ("y_plus", "thickness", "shape")


def planes(array):
    """Single precision, split into byte planes: neighbouring values share their high bytes, so these compress
    well."""
    return np.ascontiguousarray(array.astype("<f4")).view(np.uint8).reshape(-1, 4).T.copy()


def whole(planes, columns):
    return np.ascontiguousarray(planes.T).view("<f4").reshape(-1, columns).astype(float)


def pack_field(level, mesh, state):
    """A mesh with the state on it, as compressed bytes."""
    names = list(mesh.boundaries)
    kept = {key: value for key, value in mesh.layout.items() if key not in ("order", "sections")}
    head = {
        "level": level, "columns": state.shape[1], "names": names, "walls": list(mesh.walls), "layout": kept,
        "revolved": mesh.is_revolved,
        "zones": [[*zone.circle.centre, zone.circle.radius, zone.angle] for zone in mesh.zones]
    }
    arrays = {f"zone_{k}": np.stack([zone.rings, zone.nodes]).astype(np.int32)
              for k, zone in enumerate(mesh.zones)}
    arrays |= {
        f"edges_{k}": mesh.face_nodes[mesh.boundaries[name]].astype(np.int32)
        for k, name in enumerate(names)
    }
    if "order" in mesh.layout:
        arrays["order"] = mesh.layout["order"].astype(np.int32)
    out, points = io.BytesIO(), points_turned(mesh, [0.0] * len(mesh.zones))
    np.savez_compressed(out, head=np.frombuffer(json.dumps(head).encode(), dtype=np.uint8),
                        points=planes(points), cells=mesh.cell_nodes.astype(np.int32), state=planes(state),
                        **arrays)
    return out.getvalue()


def unpack_field(data):
    """Returns (level, Mesh, state)."""
    with np.load(io.BytesIO(data), allow_pickle=False) as stored:
        head = json.loads(bytes(stored["head"]))
        edges = {name: stored[f"edges_{k}"] for k, name in enumerate(head["names"])}
        points, cells, state = whole(stored["points"],
                                     2), stored["cells"], whole(stored["state"], head.get("columns", 4))
        layout = {key: tuple(v) if isinstance(v, list) else v for key, v in head["layout"].items()}
        if "order" in stored:
            layout["order"] = stored["order"].astype(np.int64)
        zones = [(*zone, stored[f"zone_{k}"].astype(np.int64))
                 for k, zone in enumerate(head.get("zones", ()))]
    for k, zone in enumerate(zones):
        edges |= seam_edges(k, zone[-1][1])
    mesh = mesh_from_cells(points, cells, edges, head["walls"], layout)
    if zones:
        mesh = sew(mesh, [Circle(*zone[:3]) for zone in zones], *zip(*(zone[-1] for zone in zones)))
        for zone, made in zip(zones, mesh.zones):
            made.turn_to(mesh, zone[3])
    return head["level"], revolve(mesh) if head.get("revolved") else mesh, state


def pack_taps(taps):
    """A tap row as compressed bytes."""
    out = io.BytesIO()
    more = {name: getattr(taps, name) for name in MORE_TAPS if getattr(taps, name) is not None}
    np.savez_compressed(out, x=taps.x, y=taps.y, cp=taps.cp, cf=taps.cf, mach=taps.mach, **more,
                        surface=np.frombuffer(json.dumps(taps.surface).encode(), dtype=np.uint8))
    return out.getvalue()


def unpack_taps(data):
    with np.load(io.BytesIO(data), allow_pickle=False) as stored:
        return TapRow(stored["x"], stored["y"], stored["cp"], stored["cf"], stored["mach"],
                      json.loads(bytes(stored["surface"])),
                      *(stored[name] if name in stored else None for name in MORE_TAPS))


def pack_rows(rows):
    """Curves along lines, {row: {column: values}}, as compressed bytes."""
    out = io.BytesIO()
    np.savez_compressed(
        out, **{
            f"{name}/{column}": np.asarray(values, dtype="<f4")
            for name, columns in rows.items()
            for column, values in columns.items()
        })
    return out.getvalue()


def unpack_rows(data):
    """What `pack_rows` wrote."""
    rows = {}
    with np.load(io.BytesIO(data), allow_pickle=False) as stored:
        for key in stored.files:
            name, column = key.rsplit("/", 1)
            rows.setdefault(name, {})[column] = stored[key].astype(float)
    return rows


def pack_frames(times, frames, mean=None):
    """Recorded frames (float16, scaled), their times, and the mean state as compressed bytes."""
    out = io.BytesIO()
    stack = np.stack(frames)
    # Byte planes, and differences between neighbouring frames, compress well.
    planes = np.ascontiguousarray(stack).view(np.uint8).reshape(*stack.shape, 2)
    more = {} if mean is None else {"mean": mean.astype("<f4")}
    np.savez_compressed(out, times=np.asarray(times, dtype=float), high=planes[..., 1], low=planes[..., 0],
                        **more)
    return out.getvalue()


def frames_head(data):
    """Times and mean of recorded frames, without unpacking the frames: (times, mean), mean None where there
    is none."""
    with np.load(io.BytesIO(data), allow_pickle=False) as stored:
        return stored["times"], stored["mean"].astype(float) if "mean" in stored.files else None


def unpack_frames(data):
    """Returns (times, frames, mean), shapes (n,), (n, n_cells, 4) and (n_cells, 4); mean is None where there
    is none."""
    times, mean = frames_head(data)
    with np.load(io.BytesIO(data), allow_pickle=False) as stored:
        planes = np.stack([stored["low"], stored["high"]], axis=-1)
    return times, np.ascontiguousarray(planes).view(np.float16)[..., 0], mean
