"""Child process that parses one upload: ``python -m ventaris.worker.parse KIND < data > json``."""
import json
import resource
import sys


def _surface(kind, data):
    """"S" and the packed surface, or "E" and the reason why not."""
    from ventaris.core.formats.surfaces import pack_surface, read_surface
    from ventaris.core.shapes.surface import SurfaceError
    try:
        return b"S" + pack_surface(read_surface(data, kind))
    except SurfaceError as error:
        return b"E" + str(error).encode()


def main():
    what = sys.argv[1]
    memory, seconds = (8_000_000_000, 120) if what.startswith("surface-") else (3_000_000_000, 20)
    resource.setrlimit(resource.RLIMIT_AS, (memory, memory))
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds))
    data = sys.stdin.buffer.read()
    if what.startswith("surface-"):
        sys.stdout.buffer.write(_surface(what.removeprefix("surface-"), data))
        return
    if what == "coordinates":
        from ventaris.core.shapes.coordinates import ShapeError, read_coordinates
        from ventaris.core.shapes.section import normalise
        try:
            loop, title = read_coordinates(data)
            _, chord, turned = normalise(loop)
            answer = {"points": loop.tolist(), "title": title, "chord": chord, "turned": turned}
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
