"""How fast pages and fields are answered: ``.venv/bin/python benchmarks/pages.py`` (uses the demo data in a
temporary folder)."""
import statistics
import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

from ventaris.demo.loader import load_demo  # noqa: E402
from ventaris.store import campaigns, runs  # noqa: E402
from ventaris.store.database import open_database  # noqa: E402
from ventaris.store.fields import pack_field  # noqa: E402
from ventaris.web.app import create_app  # noqa: E402


def main():
    with tempfile.TemporaryDirectory() as folder:
        database = open_database(folder)
        load_demo(database)
        drone = next(c["id"] for c in campaigns.all_campaigns(database) if c["name"].startswith("Courier"))
        latest = runs.latest_runs(database, drone)
        (variant, point), run = next(iter(latest.items()))
        other = [r for r in latest.values() if r["id"] != run["id"]][0]
        client = create_app(folder).test_client()
        for url in ("/", f"/campaigns/{drone}", f"/sheet/{variant}/{point}",
                    f"/sheet/{variant}/{point}/drawing/grid", f"/runs/{run['id']}", f"/runs/{run['id']}/live",
                    f"/runs/{run['id']}/flow", f"/campaigns/{drone}/curves",
                    f"/campaigns/{drone}/compare?run={run['id']}&run={other['id']}",
                    f"/runs/{run['id']}/field.bin", f"/runs/{run['id']}/lines?box=-0.5,1.6,-0.7,0.7"):
            times = []
            for _ in range(7):
                start = time.perf_counter()
                assert client.get(url).status_code == 200, url
                times.append(time.perf_counter() - start)
            print(
                f"{url:44s} first {1000 * times[0]:7.0f} ms, then {1000 * statistics.median(times[1:]):6.0f} "
                "ms"
            )
        big = _big_field(database, run["id"])
        start = time.perf_counter()
        size = len(client.get(f"/runs/{run['id']}/field.bin").data)
        print(
            f"field of {big} cells, cold                   {1000 * (time.perf_counter() - start):7.0f} ms, "
            f"{size / 1e6:.1f} MB"
        )
        database.close()


def _big_field(database, run_id):
    from ventaris.core.flow.stream import FreeStream
    from ventaris.core.grids.section import SectionGridPlan, generate_levels
    from ventaris.core.shapes.families import four_digit
    from ventaris.core.shapes.section import Section
    import numpy as np
    mesh = generate_levels(Section(four_digit(0.12)), SectionGridPlan(around=336, layers=104, wake=80),
                           ("fine", ))["fine"]
    state = np.tile(FreeStream(0.3).state, (mesh.n_cells, 1))
    runs.keep_array(database, run_id, "field", pack_field("fine", mesh, state))
    return mesh.n_cells


if __name__ == "__main__":
    main()
