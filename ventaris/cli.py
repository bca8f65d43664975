"""The command line: ``ventaris …``."""
import argparse
import json
import os
import sys
import time
from pathlib import Path


def main(arguments=None):
    """Entry point; returns the exit code."""
    parser = argparse.ArgumentParser(prog="ventaris", description="Simulate airflow round shapes, and compare variants.")
    verbs = parser.add_subparsers(dest="verb", required=True)
    _add_run(verbs)
    _add_service(verbs)
    _add_exchange(verbs)
    options = parser.parse_args(arguments)
    try:
        return options.action(options) or 0
    except KeyboardInterrupt:
        print("\ninterrupted", file=sys.stderr)
        return 130
    except BrokenPipeError:
        return 1


def _data_option(parser):
    parser.add_argument("--data", type=Path, default=Path(os.environ.get("VENTARIS_DATA", "data")), help="data folder (default: data)")


def _add_run(verbs):
    run = verbs.add_parser("run", help="run a sheet without server or database")
    run.add_argument("sheet", type=Path)
    run.add_argument("--set", dest="settings", action="append", default=[], metavar="path.to.field=value")
    run.add_argument("--out", type=Path, help="folder for result.json, fields, curves and pictures")
    run.add_argument("--json", action="store_true", help="print the result as JSON")
    run.add_argument("--resume", type=Path, help="go on from a checkpoint file in a result folder")
    run.set_defaults(action=_run)
    validate = verbs.add_parser("validate", help="run the validation cases and write the report")
    validate.add_argument("--report", type=Path, default=Path("docs/validation.md"))
    validate.add_argument("--only", default="", help="only cases whose name contains this")
    validate.add_argument("--update", action="store_true", help="put the cases of --only in place of what the reports say of them")
    validate.set_defaults(action=_validate)


def _add_service(verbs):
    serve = verbs.add_parser("serve", help="start the server and its worker")
    _data_option(serve)
    serve.add_argument("--port", type=int, default=8400)
    serve.add_argument("--host", default="127.0.0.1")
    serve.add_argument("--no-demo", action="store_true", help="do not load the demo data into an empty folder")
    serve.add_argument("--no-worker", action="store_true")
    serve.set_defaults(action=_serve)
    worker = verbs.add_parser("worker", help="execute waiting runs")
    _data_option(worker)
    worker.add_argument("--until-idle", action="store_true", help="end when nothing is waiting")
    worker.set_defaults(action=_worker)
    demo = verbs.add_parser("demo", help="load the demo campaigns")
    _data_option(demo)
    demo.add_argument("--recompute", action="store_true", help="compute the demo results afresh and store them with the program")
    demo.set_defaults(action=_demo)


def _add_exchange(verbs):
    out = verbs.add_parser("export", help="write a campaign as one archive")
    _data_option(out)
    out.add_argument("campaign", help="name or number of the campaign")
    out.add_argument("file", type=Path)
    out.set_defaults(action=_export)
    into = verbs.add_parser("import", help="read a campaign archive")
    _data_option(into)
    into.add_argument("file", type=Path)
    into.set_defaults(action=_import)
    backup = verbs.add_parser("backup", help="copy the whole laboratory to one file")
    _data_option(backup)
    backup.add_argument("file", type=Path)
    backup.set_defaults(action=_backup)


def _run(options):
    from tqdm import tqdm

    from .core.grids.mesh import MeshError
    from .core.shapes.coordinates import ShapeError
    from .core.shapes.library import library
    from .core.sheet import SheetError, read_toml
    from .core.study.checks import examine
    from .core.study.execute import execute
    from .core.study.progress import RunFailed
    try:
        sheet = read_toml(options.sheet.read_bytes(), options.settings)
    except OSError as error:
        return _fail(f"{options.sheet}: {error.strerror}")
    except SheetError as error:
        return _fail(str(error))
    library.folder = options.sheet.resolve().parent
    setup, findings = examine(sheet)
    for finding in findings:
        print(f"{finding.grade}: {finding.message}", file=sys.stderr)
    if setup is None or any(f.grade == "stop" for f in findings):
        return 2
    try:
        run = execute(sheet, options.resume.read_bytes() if options.resume else None)
        saved = time.monotonic()
        with tqdm(total=100, disable=None, bar_format="{l_bar}{bar}| {elapsed} {postfix}", file=sys.stderr) as bar:
            for step in run:
                bar.n = round(100 * step.share)
                bar.set_postfix_str(f"{step.level} step {step.level_step}  residual {step.residual:.1e}  "
                                    f"CL {step.channels['lift']:.5f}  CD {step.channels['drag']:.5f}")
                if options.out and time.monotonic() - saved > 5:
                    saved = time.monotonic()
                    _write(options.out, "checkpoint.npz", run.checkpoint().to_bytes())
            bar.n = 100
    except (RunFailed, MeshError, ShapeError) as error:
        return _fail(str(error))
    if options.out:
        from .core.formats.results import result_files
        for name, data in result_files(run).items():
            _write(options.out, name, data)
        (options.out / "checkpoint.npz").unlink(missing_ok=True)
    _report(run, options.json)
    return 0 if run.result["verdict"]["settled"] else 3


def _report(run, as_json):
    if as_json:
        print(json.dumps(run.result, indent=1))
        return
    for name in ("lift", "drag", "moment"):
        trend = run.result["trends"][name]
        error = f" ± {trend['error']:.5f}" if trend["error"] is not None else ""
        print(f"{name:8s} {run.result['coefficients'][name]: .6f}{error}   {trend['words']}")
    for shock in run.result["shocks"]:
        print(f"shock    {shock['surface']} at x = {shock['x']:.4f} chords, Mach {shock['mach_ahead']:.3f} ahead of it")
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
    return 0 if write_report(options.report, options.only, echo=print, update=options.update) else 1


def _serve(options):
    from .web.serve import serve
    return serve(options.data, options.host, options.port, demo=not options.no_demo, worker=not options.no_worker)


def _worker(options):
    from .worker.loop import work
    return work(options.data, until_idle=options.until_idle)


def _demo(options):
    if options.recompute:
        from .demo.results import recompute
        recompute(echo=print)
        return 0
    from .demo.loader import load_demo
    from .store.database import open_database
    print("\n".join(load_demo(open_database(options.data))))
    return 0


def _export(options):
    from .store import archive, campaigns
    from .store.database import open_database
    database = open_database(options.data)
    found = [c for c in campaigns.all_campaigns(database) if options.campaign in (c["name"], str(c["id"]))]
    if not found:
        return _fail(f"no campaign “{options.campaign}” in {options.data}")
    options.file.write_bytes(archive.export_campaign(database, found[0]["id"]))
    return 0


def _import(options):
    from .store import archive
    from .store.database import open_database
    try:
        print(archive.import_campaign(open_database(options.data), options.file.read_bytes()))
    except (OSError, archive.ArchiveError) as error:
        return _fail(str(error))
    return 0


def _backup(options):
    from .store.database import backup, open_database
    backup(open_database(options.data), options.file)
    return 0


def entry():
    """The installed command."""
    sys.exit(main())


if __name__ == "__main__":
    entry()
