"""The command line: ``ventaris …``."""
import argparse
import json
import os
import sys
import time
from pathlib import Path

# Seconds between two lines of progress where there is no terminal.
LINE_EVERY = 5.0
# What a finished run leaves in its folder for another operating point to start from.
LAST_STEP = "last_step.npz"


def main(arguments=None):
    """Entry point; returns the exit code."""
    parser = argparse.ArgumentParser(prog="ventaris",
                                     description="Simulate airflow round shapes, and compare variants.")
    verbs = parser.add_subparsers(dest="verb", required=True)
    _add_run(verbs)
    _add_service(verbs)
    _add_exchange(verbs)
    options = parser.parse_args(arguments)
    from .store.database import StoreError
    try:
        return options.action(options) or 0
    except StoreError as error:
        return _fail(str(error))
    except OSError as error:
        if isinstance(error, BrokenPipeError):
            return 1
        return _fail(
            f"{error.filename or 'a file'}: {error.strerror or error}. Check the path and its permissions.")
    except MemoryError:
        return _fail("the machine ran out of memory. Use fewer cells.")
    except KeyboardInterrupt:
        print("\ninterrupted", file=sys.stderr)
        return 130


def _data_option(parser):
    parser.add_argument("--data", type=Path, default=Path(os.environ.get("VENTARIS_DATA", "data")),
                        help="data folder (default: data)")


def _add_run(verbs):
    run = verbs.add_parser("run", help="run a sheet without server or database")
    run.add_argument("sheet", type=Path)
    run.add_argument("--set", dest="settings", action="append", default=[], metavar="path.to.field=value")
    run.add_argument("--out", type=Path, help="folder for result.json, fields, curves and pictures")
    run.add_argument("--json", action="store_true", help="print the result as JSON")
    run.add_argument("--resume", type=Path, help="go on from a checkpoint file in a result folder")
    run.add_argument("--start-from", type=Path, metavar="FOLDER",
                     help="begin with the last step of another operating point, run with --out (blade rows)")
    run.set_defaults(action=_run)
    validate = verbs.add_parser("validate", help="run the validation cases and write the report")
    validate.add_argument("--report", type=Path, default=Path("docs/validation.md"))
    validate.add_argument("--only", action="append",
                          help="only cases whose name contains this; may be given several times")
    validate.add_argument("--update", action="store_true",
                          help="put the cases of --only in place of what the reports say of them")
    validate.set_defaults(action=_validate)


def _add_service(verbs):
    serve = verbs.add_parser("serve", help="start the server and its worker")
    _data_option(serve)
    serve.add_argument("--port", type=int, default=8400)
    serve.add_argument("--host", default="127.0.0.1")
    serve.add_argument("--no-demo", action="store_true",
                       help="do not load the demo data into an empty folder")
    serve.add_argument("--no-worker", action="store_true")
    serve.set_defaults(action=_serve)
    worker = verbs.add_parser("worker", help="execute waiting runs")
    _data_option(worker)
    worker.add_argument("--until-idle", action="store_true", help="end when nothing is waiting")
    worker.set_defaults(action=_worker)
    cluster = verbs.add_parser(
        "cluster", help="execute waiting runs in several processes, here or on other machines")
    _data_option(cluster)
    cluster.add_argument("--scheduler", default="", metavar="ADDRESS",
                         help="Dask scheduler whose workers compute, for example tcp://10.0.0.5:8786 "
                         "(default: processes of this machine)")
    cluster.add_argument("--processes", default="", metavar="N",
                         help="worker processes on this machine (default: one for each core)")
    cluster.add_argument("--until-idle", action="store_true", help="end when nothing is waiting")
    cluster.add_argument("--join", default="", metavar="ADDRESS",
                         help="let this machine's cores work for the scheduler there; needs no data folder")
    cluster.set_defaults(action=_cluster)
    demo = verbs.add_parser("demo", help="load the demo campaigns")
    _data_option(demo)
    demo.add_argument("--recompute", action="store_true",
                      help="compute the demo results afresh and store them with the program")
    demo.set_defaults(action=_demo)


def _add_exchange(verbs):
    out = verbs.add_parser("export", help="write a campaign as one archive")
    _data_option(out)
    out.add_argument("campaign", help="name or number of the campaign")
    out.add_argument("file", type=Path)
    out.set_defaults(action=_export)
    report = verbs.add_parser("report", help="write the report of a campaign or a run as HTML or PDF")
    _data_option(report)
    report.add_argument("campaign", help="name or number of the campaign, or a campaign archive")
    report.add_argument("file", type=Path, help="ends in .html or .pdf")
    report.add_argument("--run", type=int, help="number of one run of it")
    report.set_defaults(action=_write_report)
    into = verbs.add_parser("import", help="read a campaign archive")
    _data_option(into)
    into.add_argument("file", type=Path)
    into.set_defaults(action=_import)
    backup = verbs.add_parser("backup", help="copy the whole laboratory to one file")
    _data_option(backup)
    backup.add_argument("file", type=Path)
    backup.set_defaults(action=_backup)


def _run(options):
    from .core.grids.mesh import MeshError
    from .core.shapes.coordinates import ShapeError
    from .core.shapes.library import library
    from .core.sheet import SheetError, read_toml
    from .core.study.checks import examine
    from .core.study.cores import cores_at_most
    from .core.study.execute import execute
    from .core.study.progress import RunFailed
    try:
        sheet = read_toml(options.sheet.read_bytes(), options.settings)
    except OSError as error:
        return _fail(f"{options.sheet}: {error.strerror}")
    except SheetError as error:
        return _fail(str(error))
    library.folder = options.sheet.resolve().parent
    problem = _unwritable(options.out)
    if problem:
        return _fail(problem)
    resume = None
    if options.resume:
        try:
            resume = options.resume.read_bytes()
        except OSError as error:
            return _fail(
                f"--resume {options.resume}: {error.strerror}. A run with --out keeps checkpoint.npz there "
                "until it ends; without --resume it begins afresh."
            )
    neighbour = None
    if options.start_from:
        try:
            neighbour = _last_step(sheet, options.start_from)
        except ValueError as error:
            return _fail(f"--start-from {options.start_from}: {error}")
    setup, findings = examine(sheet)
    for finding in findings:
        print(f"{finding.grade}: {finding.message}", file=sys.stderr)
    if setup is None or any(f.grade == "stop" for f in findings):
        return 2
    try:
        run = execute(sheet, resume, neighbour=neighbour)
        saved, watch = time.monotonic(), _Watch()
        with cores_at_most(sheet.run.cores):
            for step in run:
                watch.show(step, run.headline_words(step.channels))
                if options.out and time.monotonic() - saved > 5:
                    saved = time.monotonic()
                    _write(options.out, "checkpoint.npz", run.checkpoint().to_bytes())
        watch.close()
    except (RunFailed, MeshError, ShapeError) as error:
        return _fail(str(error))
    if options.out:
        from .core.study.kinds.registry import kind_of
        for name, data in kind_of(sheet).files(run).items():
            _write(options.out, name, data)
        if _starts_from_last_step(sheet):
            _write(options.out, LAST_STEP, run.checkpoint().to_bytes())
        (options.out / "checkpoint.npz").unlink(missing_ok=True)
    _report(run, options.json)
    return 0 if run.result["verdict"]["settled"] else 3


def _starts_from_last_step(sheet):
    from .core.study.kinds.registry import kind_of
    near = kind_of(sheet).neighbourhood
    return near is not None and near.kept == "checkpoint"


def _last_step(sheet, folder):
    """The `Checkpoint` that a run left in its result folder; raises ValueError where a sheet cannot start
    from it."""
    from .core.sheet import SheetError, read_toml
    from .core.study.kinds.registry import kind_of
    from .core.study.progress import Checkpoint, RunFailed
    if not _starts_from_last_step(sheet):
        raise ValueError("only blade rows start from another run's folder.")
    if sheet.run.start != "neighbour":
        raise ValueError(
            "the sheet asks for an open throttle. Add --set run.start=neighbour, or leave this out.")
    try:
        kept = Checkpoint.from_bytes((folder / LAST_STEP).read_bytes())
        obstacles = kind_of(sheet).neighbourhood.obstacles(sheet, read_toml(kept.sheet))
    except OSError as error:
        raise ValueError(f"{LAST_STEP}: {error.strerror}. Give the --out folder of a finished run.") from None
    except (RunFailed, SheetError) as error:
        raise ValueError(f"{LAST_STEP}: {error}") from None
    if obstacles:
        raise ValueError(f"that run differs in more than its operating point: {', '.join(obstacles[:6])}. "
                         "Run it with the same shape, grid and flow model.")
    return kept


class _Watch:
    """The progress of a run on standard error: a bar on a terminal, a line now and then elsewhere."""
    def __init__(self):
        from tqdm import tqdm
        self._bar = tqdm(total=100, bar_format="{l_bar}{bar}| {elapsed} {postfix}",
                         file=sys.stderr) if sys.stderr.isatty() else None
        self._said, self._began = -LINE_EVERY, time.monotonic()

    def show(self, step, words):
        line = f"{step.level} step {step.level_step}  " + (f"residual {step.residual:.1e}  "
                                                           if step.residual else "") + words
        if self._bar is not None:
            self._bar.n = round(100 * step.share)
            self._bar.set_postfix_str(line)
            return
        spent = time.monotonic() - self._began
        if step.message:
            print(step.message, file=sys.stderr, flush=True)
        if spent - self._said >= LINE_EVERY:
            self._said = spent
            print(f"{100 * step.share:3.0f} %  {spent:5.0f} s  {line}", file=sys.stderr, flush=True)

    def close(self):
        if self._bar is not None:
            self._bar.n = 100
            self._bar.close()


def _unwritable(folder):
    """Why results cannot be written to a folder, or None."""
    if folder is None:
        return None
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except (FileExistsError, NotADirectoryError):
        return f"--out {folder}: there is a file of that name. Give a folder."
    except OSError as error:
        return f"--out {folder}: {error.strerror}. Give a folder that can be written to."
    return None if os.access(
        folder,
        os.W_OK) else f"--out {folder}: cannot be written to. Mend its permissions, or give another folder."


def _report(run, as_json):
    if as_json:
        print(json.dumps(run.result, indent=1))
        return
    rows = run.report_rows()
    width = max((len(row[0]) for row in rows), default=0)
    for label, value, unit, decimals, trend in rows:
        error = f" ± {trend['error']:.{max(decimals - 1, 0)}f}" if trend["error"] is not None else ""
        print(f"{label:{width}s} {value: .{decimals}f}{error}{unit and ' ' + unit}   {trend['words']}")
    for shock in run.result["shocks"]:
        if "surface" in shock:
            print(
                f"shock    {shock['surface']} at x = {shock['x']:.4f} chords, Mach {shock['mach_ahead']:.3f} "
                "ahead of it"
            )
    print(run.result["verdict"]["words"])
    for warning in run.result["verdict"]["warnings"]:
        print(f"note: {warning}")


def _write(folder, name, data):
    folder.mkdir(parents=True, exist_ok=True)
    partial = folder / (name + ".part")
    partial.write_bytes(data)
    partial.replace(folder / name)


def _fail(message):
    print(f"error: {message}", file=sys.stderr)
    return 2


def _validate(options):
    from .validation.report import write_report
    return 0 if write_report(options.report, options.only or ("", ), echo=print, update=options.update) else 1


def _serve(options):
    if not 0 <= options.port <= 65535:
        return _fail(f"--port {options.port}: accepted: 1 to 65535, or 0 for any free one.")
    from .web.serve import serve
    return serve(options.data, options.host, options.port, demo=not options.no_demo,
                 worker=not options.no_worker)


def _worker(options):
    from .worker.loop import work
    return work(options.data, until_idle=options.until_idle)


def _cluster(options):
    from .store.place import PlaceError, read_place
    if options.join and options.scheduler:
        return _fail("--join and --scheduler: give one of them. --join lets this machine work for a "
                     "scheduler; --scheduler has runs of --data computed by a scheduler's workers.")
    address = options.join or options.scheduler
    try:
        processes = read_place("processes", options.processes).count
        where = read_place("scheduler" if address else "processes", options.processes, address)
    except PlaceError as error:
        return _fail(f"--{'join' if options.join and error.path == 'scheduler' else error.path}: {error}")
    if options.join:
        from .worker.cluster.crew import QUIET
        os.environ.update(QUIET)
        # One run a process, which may take what memory it needs: the runs are handed out by their size.
        os.execv(sys.executable, [
            sys.executable, "-m", "dask", "worker", options.join, "--nworkers", str(processes), "--nthreads",
            "1", "--memory-limit", "0", "--no-dashboard"
        ])
    from .worker.cluster.crew import CrewError
    from .worker.loop import work
    try:
        return work(options.data, options.until_idle, where=where)
    except CrewError as error:
        return _fail(f"--scheduler: {error}")


def _demo(options):
    if options.recompute:
        from .demo.results import recompute
        recompute(echo=print)
        return 0
    from .demo.loader import load_demo
    from .store.database import open_database
    print("\n".join(load_demo(open_database(options.data))))
    return 0


def _named_campaign(database, options):
    """Id of the campaign that a command names by its name or number, or None."""
    from .store import campaigns
    found = [c for c in campaigns.all_campaigns(database) if options.campaign in (c["name"], str(c["id"]))]
    return found[0]["id"] if found else None


def _export(options):
    from .store import archive
    from .store.database import open_database
    database = open_database(options.data, create=False)
    found = _named_campaign(database, options)
    if found is None:
        return _fail(f"no campaign “{options.campaign}” in {options.data}")
    _write(options.file.parent, options.file.name, archive.export_campaign(database, found))
    return 0


def _write_report(options):
    import tempfile

    from .store import archive
    from .store.database import open_database
    from .store.surfaces import serve_library
    if options.file.suffix not in (".html", ".pdf"):
        return _fail(f"{options.file}: a report is written as .html or .pdf; give the file such an ending")
    with tempfile.TemporaryDirectory() as folder:
        packed = Path(options.campaign)
        serve_library(folder if packed.is_file() else options.data)
        if packed.is_file():
            database = open_database(folder)
            try:
                found = archive.import_campaign(database, packed.read_bytes())
            except archive.ArchiveError as error:
                return _fail(f"{packed}: {error}")
        else:
            database = open_database(options.data, create=False)
            found = _named_campaign(database, options)
            if found is None:
                return _fail(
                    f"no campaign “{options.campaign}” in {options.data}, and no archive of that name")
        return _report_of(database, found, options)


def _report_of(database, campaign_id, options):
    from .core.report import write
    from .core.report.campaign import campaign_report, run_report
    from .store import reports, runs
    material = reports.material_of(database, campaign_id)
    if options.run is None:
        document = campaign_report(material)
    else:
        run = runs.run(database, options.run)
        if run is None or run["campaign_id"] != campaign_id:
            return _fail(f"--run {options.run}: not a run of “{material.name}”. There are: "
                         f"{', '.join(str(c.run) for c in material.cells.values()) or 'none'}")
        document = run_report(material, reports.cell_of(database, run))
    _write(options.file.parent, options.file.name, write(document, options.file.suffix.removeprefix(".")))
    return 0


def _import(options):
    from .store import archive
    from .store.database import open_database
    data = options.file.read_bytes()
    try:
        print(archive.import_campaign(open_database(options.data), data))
    except archive.ArchiveError as error:
        return _fail(str(error))
    return 0


def _backup(options):
    from .store.database import backup, open_database
    options.file.parent.mkdir(parents=True, exist_ok=True)
    backup(open_database(options.data, create=False), options.file)
    return 0


def entry():
    """The installed command."""
    sys.exit(main())


if __name__ == "__main__":
    entry()
