"""Child process that parses one upload: ``python -m ventaris.worker.parse KIND < data > json``."""
import json
import resource
import sys

# Bytes of memory and seconds of processor time.
LIMITS = {"surface": (8_000_000_000, 120), "archive": (5_000_000_000, 120), "grid": (6_000_000_000, 120)}


def _surface(kind, data):
    """"S" and the packed surface, or "E" and the reason why not."""
    from ventaris.core.formats.surfaces import pack_surface, read_surface
    from ventaris.core.shapes.surface import SurfaceError
    try:
        return b"S" + pack_surface(read_surface(data, kind))
    except SurfaceError as error:
        return b"E" + str(error).encode()


def _archive(data):
    """"S" for a campaign archive that is whole, or "E" and the reason why not."""
    from ventaris.store.archive import ArchiveError, read_archive
    try:
        read_archive(data)
        return b"S"
    except ArchiveError as error:
        return b"E" + str(error).encode(errors="replace")


def _grid(data, folder):
    """Quality of the grids of a run sheet whose surfaces lie in a data folder."""
    from ventaris.core.grids.mesh import MeshError
    from ventaris.core.sheet import read_toml
    from ventaris.core.study.checks import quality_of_grids
    from ventaris.core.study.setup import prepare
    from ventaris.store.surfaces import serve_library
    serve_library(folder)
    try:
        return quality_of_grids(prepare(read_toml(data)))
    except (MeshError, ValueError) as error:
        return {"error": str(error)}


def main():
    what = sys.argv[1]
    memory, seconds = LIMITS.get(what.split("-")[0], (3_000_000_000, 20))
    resource.setrlimit(resource.RLIMIT_AS, (memory, memory))
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds + 5))
    data = sys.stdin.buffer.read()
    if what == "grid":
        json.dump(_grid(data, sys.argv[2]), sys.stdout)
        return
    if what == "archive":
        sys.stdout.buffer.write(_archive(data))
        return
    if what.startswith("surface-"):
        sys.stdout.buffer.write(_surface(what.removeprefix("surface-"), data))
        return
    if what == "coordinates":
        from ventaris.core.shapes.coordinates import ShapeError, read_outlines
        from ventaris.core.shapes.section import elements_beside, normalise
        try:
            (loop, title), *others = read_outlines(data)
            _, chord, turned = normalise(loop)
            answer = {"points": loop.tolist(), "title": title, "chord": chord, "turned": turned,
                      "elements": elements_beside(loop, others)}
        except ShapeError as error:
            answer = {"error": str(error)}
    elif what == "contour":
        from ventaris.core.shapes.coordinates import ShapeError, read_pairs
        try:
            answer = {"points": read_pairs(data)}
        except ShapeError as error:
            answer = {"error": str(error)}
    else:
        from ventaris.core.formats.tables import TableError, read_measured
        try:
            answer = {"columns": read_measured(data)}
        except TableError as error:
            answer = {"error": str(error)}
    json.dump(answer, sys.stdout)


if __name__ == "__main__":
    main()
