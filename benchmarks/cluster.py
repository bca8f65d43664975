"""Many machines: ``.venv/bin/python benchmarks/cluster.py``.

First 40 coarse runs one after another and by two worker processes. Then, played without processes, 500
workers and 10 000 runs: what handing out and storing take of one core, how large the laboratory becomes, how
fast its pages are. ``--played`` or ``--real`` for one of the two; ``--runs`` and ``--workers`` for more.
"""
import argparse
import json
import statistics
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.sheets import COARSE, sheet  # noqa: E402
from tests.worker.crew_stand_in import StandIn  # noqa: E402
from ventaris.core.sheet import write_toml  # noqa: E402
from ventaris.core.study.execute import execute  # noqa: E402
from ventaris.store import campaigns, place, runs  # noqa: E402
from ventaris.store.database import FILE_NAME, open_database, transaction  # noqa: E402
from ventaris.web.app import create_app  # noqa: E402
from ventaris.worker.cluster.crew import traffic  # noqa: E402
from ventaris.worker.cluster.dispatch import Dispatcher  # noqa: E402
from ventaris.worker.loop import warm_up_sections, work  # noqa: E402

# Variants and points of a campaign; steps that a record holds, and records of a run.
ROWS, COLUMNS, STEPS, RECORDS = 50, 20, 4, 60


def real(count):
    """Seconds of so many coarse runs, one after another and in two processes."""
    warm_up_sections()
    spent = {}
    for way in ("one", "processes"):
        with tempfile.TemporaryDirectory() as folder:
            database = open_database(folder)
            campaign = campaigns.add_campaign(database, "fan-out")
            variant = campaigns.add_variant(database, campaign, "v", {})
            for k in range(count):
                air = {"motion": "mach", "mach": 0.3 + 0.005 * k}
                point = campaigns.add_point(database, campaign, f"p{k}", air)
                runs.add_run(database, campaign, variant, point, write_toml(sheet(COARSE, air=air)),
                             estimate=1.0)
            began = time.perf_counter()
            work(folder, until_idle=True, where=place.Place(way, 2))
            spent[way] = time.perf_counter() - began
            states = [row["state"] for row in database.execute("SELECT state FROM run")]
            assert states == ["settled"] * count, states
            spent[way, "computing"] = 86400 * database.execute(
                "SELECT max(julianday(finished)) - min(julianday(started)) FROM run").fetchone()[0]
            database.close()
    half = spent["one", "computing"] / 2
    by_two = spent["processes", "computing"]
    print(f"{count} coarse runs: {2 * half:.1f} s one after another, {by_two:.1f} s by two processes "
          f"({by_two / half:.3f} of half); with starting them {spent['one']:.1f} and "
          f"{spent['processes']:.1f} s")


def filled(database, count):
    """A laboratory with so many waiting runs in campaigns of 50 by 20; ids of its campaigns."""
    found = []
    with transaction(database):
        while count > 0:
            campaign = campaigns.add_campaign(database, f"Campaign {len(found) + 1}")
            found.append(campaign)
            variants = [campaigns.add_variant(database, campaign, f"v{k}", {}) for k in range(ROWS)]
            for x in range(COLUMNS):
                air = {"motion": "mach", "mach": 0.3, "incidence": 0.1 * x}
                point = campaigns.add_point(database, campaign, f"{0.1 * x:.1f}°", air)
                toml = write_toml(sheet(COARSE, air=air))
                for variant in variants[:count]:
                    runs.add_run(database, campaign, variant, point, toml, estimate=300.0, memory_mb=800.0,
                                 made_from="1-1-1")
                count -= min(ROWS, max(count, 0))
    return found


def a_result():
    """History and result of a real coarse run."""
    run = execute(sheet(COARSE))
    for _ in run:
        pass
    return run.history, json.loads(json.dumps(run.result))


def played(count, workers):
    """Hand out and store `count` runs with workers that are played."""
    history, result = a_result()
    entry = history[-1]
    with tempfile.TemporaryDirectory() as folder:
        database = open_database(folder)
        began = time.perf_counter()
        found = filled(database, count)
        print(f"{count} runs put in the queue in {time.perf_counter() - began:.1f} s")
        crew = StandIn({f"m{k}": (10, 64e3) for k in range(-(-workers // 10))}, cores=10)
        dispatcher, done, spent, rounds = Dispatcher(database, crew), {}, 0.0, []
        rng = np.random.default_rng(1)
        pages = None
        while True:
            began = time.perf_counter()
            busy = dispatcher.turn()
            rounds.append(time.perf_counter() - began)
            spent += rounds[-1]
            if not busy:
                break
            if pages is None and dispatcher.ended > count / 2:
                pages = _pages(folder, found, database)
            # A quarter of the workers sends a record in each round, as half a second of a real one would see.
            going = list(crew.tasks)
            for token in rng.choice(going, -(-len(going) // 4), replace=False) if going else ():
                crew.line.append((token, _messages(token, done, entry, result)))
        every = traffic(workers)["record_every"]
        records = count * RECORDS
        clock = records * every / workers
        size = sum(p.stat().st_size for p in Path(folder).glob(FILE_NAME + "*")) / 1e6
        assert database.execute("SELECT count(*) FROM run WHERE state = 'settled'").fetchone()[0] == count
        print(f"{workers} workers: {records} records and {count} results in {spent:.0f} s: "
              f"{1e3 * spent / records:.2f} ms a record, {100 * spent / clock:.0f} % of the {clock:.0f} s "
              f"that these workers would take; a round takes {1e3 * statistics.median(rounds):.0f} ms, the "
              f"longest {1e3 * max(rounds):.0f}; laboratory {size:.0f} MB without pictures and checkpoints")
        for label, timed in (("half done", pages), ("all done", _pages(folder, found, database))):
            print(label + ": " + ", ".join(f"{url} {first:.0f}/{then:.0f} ms" for url, first, then in timed))
        database.close()


def _messages(token, done, entry, result):
    step = done[token] = done.get(token, 0) + 1
    entries = [{**entry, "step": STEPS * step + k} for k in range(STEPS)]
    out = [("record", entries, {"share": step / RECORDS, "level": "coarse", "left": 10.0}, "")]
    if step == RECORDS:
        out += [("keep", "field", b"x" * 1000), ("finish", "settled", result, "", "Settled")]
    return out


def _pages(folder, found, database):
    """(address, ms at the first visit, ms then) of the pages that all this shows on."""
    client, out = create_app(folder).test_client(), []
    run = database.execute("SELECT max(id) FROM run WHERE state = 'settled'").fetchone()[0]
    for url in ("/", "/queue", f"/campaigns/{found[0]}", f"/runs/{run}"):
        times = []
        for _ in range(6):
            began = time.perf_counter()
            assert client.get(url).status_code == 200, url
            times.append(1e3 * (time.perf_counter() - began))
        out.append((url, times[0], statistics.median(times[1:])))
    return out


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument("--real", action="store_true")
    parser.add_argument("--played", action="store_true")
    parser.add_argument("--runs", type=int, default=10_000)
    parser.add_argument("--workers", type=int, default=500)
    options = parser.parse_args()
    if not options.played:
        real(40)
    if not options.real:
        played(options.runs, options.workers)


if __name__ == "__main__":
    main()
