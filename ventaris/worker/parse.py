"""Child process that parses one upload: ``python -m ventaris.worker.parse KIND < data > json``."""
import json
import resource
import sys


def main():
    resource.setrlimit(resource.RLIMIT_AS, (3_000_000_000, 3_000_000_000))
    resource.setrlimit(resource.RLIMIT_CPU, (20, 20))
    data = sys.stdin.buffer.read()
    if sys.argv[1] == "coordinates":
        from ventaris.core.shapes.coordinates import ShapeError, read_coordinates
        from ventaris.core.shapes.section import normalise
        try:
            loop, title = read_coordinates(data)
            _, chord, turned = normalise(loop)
            answer = {"points": loop.tolist(), "title": title, "chord": chord, "turned": turned}
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
