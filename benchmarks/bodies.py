"""Cost of bodies in space per cell, and of whole climbs: ``.venv/bin/python benchmarks/bodies.py``.

Compare with benchmarks/record.md; times are warm.
"""
import resource
import sys
import time
from pathlib import Path

import numpy as np
import trimesh

sys.path.insert(0, str(Path(__file__).parents[1]))

from ventaris.core.formats.surfaces import read_surface, write_surface  # noqa: E402
from ventaris.core.shapes import bodies  # noqa: E402
from ventaris.core.shapes.surface import inspect  # noqa: E402
from ventaris.core.sheet import read_sheet  # noqa: E402
from ventaris.core.study.execute import execute  # noqa: E402
from ventaris.core.study.setup import prepare  # noqa: E402
from ventaris.worker.loop import warm_up  # noqa: E402

CAR = {
    "name": "car", "kind": "vehicle", "length": 4.0, "width": 1.6, "height": 1.4, "tail_length": 0.8,
    "tail_side": 0.2, "tail_roof": 0.3
}


def sheet(budget, **grid):
    return read_sheet({
        "format": 1, "space": "body", "shape": {"parts": [CAR]}, "air": {"motion": "speed", "speed": 30},
        "domain": {"kind": "ground", "clearance": 0.2,
                   "half": "yes"}, "grid": {"level": "fine", "budget": budget, **grid}
    })


def seconds(action):
    start = time.perf_counter()
    out = action()
    return time.perf_counter() - start, out


def main():
    warm_up()
    spent, setup = seconds(lambda: prepare(sheet(1_000_000)))
    print(f"sheet made ready, budget 1 M        {spent:8.1f} s")
    spent, mesh = seconds(lambda: setup.generate(("fine", ))["fine"])
    print(
        f"grid                                {spent:8.1f} s for {mesh.tree.n_leaves} cubes, {mesh.n_cells} "
        f"cells; {1e6 * spent / mesh.n_cells:.0f} µs per cell"
    )
    print(
        "largest memory so far               "
        f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6:8.1f} GB"
    )
    del mesh
    began, run, first = time.perf_counter(), execute(sheet(300_000)), None
    for progress in run:
        if progress.level != "coarse" and first is None:
            first = time.perf_counter() - began
    print(f"first answer (coarse level)         {first:8.1f} s")
    for level in run.result["levels"]:
        print(
            f"{level['level']:8s} {level['cells']:8d} cells {level['steps']:4d} steps "
            f"{level['seconds']:7.1f} s, {1e6 * level['seconds'] / level['cells'] / level['steps']:.1f} µs "
            "per cell and step"
        )
    print(
        f"whole climb                         {time.perf_counter() - began:8.1f} s, CD "
        f"{run.result['coefficients']['drag']:.4f}; {run.result['verdict']['words']}"
    )
    ball = bodies.ellipsoid(1.0, 0.8, 0.6)
    big = ball
    while len(big.triangles) < 500_000:
        vertices, triangles = trimesh.remesh.subdivide(big.vertices, big.triangles)
        big = type(ball)(vertices, triangles, np.zeros(len(triangles), dtype=np.int64),
                         np.zeros(len(triangles), dtype=np.int64), ball.parts, ("body", ))
    data = write_surface(big, "stl")
    spent, surface = seconds(lambda: read_surface(data, "stl"))
    more, _ = seconds(lambda: inspect(surface))
    print(f"import of {len(surface.triangles)} triangles        {spent:8.1f} s, looked over in {more:.1f} s")


if __name__ == "__main__":
    main()
