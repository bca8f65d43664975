import io
import json
import subprocess
import sys
import tempfile
import unittest
import zipfile
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

from tests.marks import EVERYTHING, slow, thorough
from ventaris import cli
from ventaris.core.sheet import read_toml, write_toml
from ventaris.core.study.execute import execute
from ventaris.demo.loader import RESULTS, load_demo
from ventaris.store import campaigns, runs
from ventaris.store.database import open_database

SHEET = """format = 1
[air]
motion = "mach"
mach = 0.3
incidence = "2 deg"
[grid]
level = "coarse"
"""
# A small fan, computed loosely.
ROW = """format = 1
space = "row"
[shape]
made = "plan"
tip_gap = 0.0006
[air]
back_pressure = 108000.0
[grid]
level = "coarse"
side_cells = 40
edge_cells = 16
off_cells = 20
span_cells = 20
gap_cells = 4
ahead_cells = 8
behind_cells = 12
[run]
residual = 1e-3
steady = 1e-2
"""


def call(*arguments):
    out, err = io.StringIO(), io.StringIO()
    with redirect_stdout(out), redirect_stderr(err):
        code = cli.main([str(a) for a in arguments])
    return code, out.getvalue(), err.getvalue()


class InFolder(unittest.TestCase):
    """A test with a folder of its own, and a small run sheet to put in it."""
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.sheet = self.folder / "sheet.toml"
        self.sheet.write_text(SHEET)


class CommandLine(InFolder):
    @slow
    def test_a_sheet_runs_without_server_or_database(self):
        code, out, _ = call("run", self.sheet, "--out", self.folder / "result", "--json", "--set",
                            "air.incidence=1")
        self.assertEqual(code, 0)
        result = json.loads(out)
        self.assertEqual(result["air"]["incidence"], 1)
        self.assertEqual(
            json.loads((self.folder / "result/result.json").read_text())["coefficients"],
            result["coefficients"])
        self.assertEqual(
            {p.name
             for p in (self.folder / "result").iterdir()},
            {"sheet.toml", "result.json", "history.csv", "taps.csv", "field.vtu", "mach.png", "cp.svg"})

    @thorough
    def test_a_row_starts_from_the_last_step_of_another_point(self):
        self.sheet.write_text(ROW)
        code, _, err = call("run", self.sheet, "--out", self.folder / "open")
        self.assertEqual(code, 0, err)
        self.assertTrue((self.folder / "open/last_step.npz").is_file())
        steps = lambda name: len((self.folder / name / "history.csv").read_text().splitlines())
        further = ("run", self.sheet, "--set", "air.back_pressure=109kPa", "--start-from",
                   self.folder / "open")
        code, _, err = call(*further, "--out", self.folder / "closed")
        self.assertEqual(code, 0, err)
        self.assertLess(steps("closed"), 0.8 * steps("open"))
        for settings, words in ((("grid.span_cells=24", ), "Cells along the span"),
                                (("run.start=nothing", ), "run.start=neighbour"),
                                (("shape.blades=31", ), "differs in more")):
            code, _, err = call(*further, *(part for one in settings for part in ("--set", one)))
            self.assertEqual(code, 2)
            self.assertIn(words, err)

    def test_what_cannot_be_started_from_is_said(self):
        code, _, err = call("run", self.sheet, "--start-from", self.folder)
        self.assertEqual((code, "only blade rows" in err), (2, True), err)
        self.sheet.write_text(ROW)
        code, _, err = call("run", self.sheet, "--start-from", self.folder / "nowhere")
        self.assertEqual((code, "Give the --out folder" in err), (2, True), err)
        (self.folder / "last_step.npz").write_bytes(b"rubbish")
        code, _, err = call("run", self.sheet, "--start-from", self.folder)
        self.assertEqual((code, "last_step.npz" in err), (2, True), err)

    def test_failure_has_an_exit_code_and_words(self):
        for arguments, words in ((["run", self.sheet, "--set",
                                   "air.mach=0"], "more than 0"), (["run",
                                                                    self.folder / "no.toml"], "No such file"),
                                 (["run", self.sheet, "--set", "air.mach=4"], "beyond 3"),
                                 (["export", "nothing", self.folder / "x.zip", "--data",
                                   self.folder / "d"], "no laboratory")):
            code, _, err = call(*arguments)
            self.assertEqual(code, 2)
            self.assertIn(words, err)
        self.assertEqual(call("run", self.sheet, "--set", "run.steps=5")[0], 3)

    def test_export_import_backup(self):
        database = open_database(self.folder / "one")
        campaigns.add_campaign(database, "drone")
        database.close()
        self.assertEqual(call("export", "drone", self.folder / "c.zip", "--data", self.folder / "one")[0], 0)
        self.assertEqual(call("import", self.folder / "c.zip", "--data", self.folder / "two")[0], 0)
        self.assertEqual(call("backup", self.folder / "b.sqlite", "--data", self.folder / "two")[0], 0)
        self.assertTrue((self.folder / "b.sqlite").stat().st_size > 1000)

    @slow
    def test_serving_others_needs_a_password(self):
        done = subprocess.run(
            [sys.executable, "-m", "ventaris.cli", "serve", "--host", "0.0.0.0", "--data", self.folder / "d"],
            capture_output=True, text=True, timeout=60)
        self.assertEqual(done.returncode, 2)
        self.assertIn("VENTARIS_PASSWORD", done.stderr)


@slow
class EveryKind(InFolder):
    """A sheet of every demo campaign through the command line, coarse: numbers of its own kind, progress in
    plain lines, no traceback."""

    LIKE = {
        "section": ("lift", "drag", "moment"), "body": ("lift", "drag", "side force"),
        "nozzle": ("mass flow", "thrust"), "row": ("mass flow", "torque")
    }

    def sheet_of(self, archive):
        """The first sheet of a demo archive, with its surfaces beside it."""
        with zipfile.ZipFile(archive) as source:
            name = sorted(n for n in source.namelist() if n.endswith("sheet.toml"))[0]
            return read_toml(source.read(name))

    def test_a_sheet_of_every_demo_campaign_runs(self):
        tried = set()
        for path in sorted(RESULTS.glob("*.zip")):
            sheet = self.sheet_of(path)
            like = (sheet.space, sheet.flow.model, *(getattr(sheet.flow, n, "") for n in ("time", "closure")))
            if like in tried and not EVERYTHING:
                continue
            tried.add(like)
            settings = ["grid.level=coarse", "run.steps=6"]
            if sheet.space == "nozzle" and sheet.flow.model == "noise":
                settings = [
                    "flow.duration=6", "flow.discard=1", "flow.cells_per_diameter=12", "flow.frames=0",
                    "run.steps=5"
                ]
            elif sheet.space == "section" and sheet.flow.time == "unsteady":
                settings += ["run.duration=3", "run.frames=0", "run.cycles=2", "run.cycle_steps=16"]
            elif sheet.space == "body":
                if any(p.kind == "surface" for p in sheet.shape.parts):
                    continue
                if sheet.grid.surface_size:
                    settings += [f"grid.surface_size={1.5 * sheet.grid.surface_size}"]
            with self.subTest(path.stem):
                file = self.folder / f"{path.stem}.toml"
                file.write_text(write_toml(sheet))
                code, out, err = call("run", file, *(part for s in settings for part in ("--set", s)),
                                      "--out", self.folder / path.stem)
                self.assertIn(code, (0, 3), err)
                for word in self.LIKE[sheet.space]:
                    self.assertRegex(out, rf"(?m)^{word}\b", out)
                self.assertRegex(err, r"\d+ %\s+\d+ s")
                self.assertTrue((self.folder / path.stem / "result.json").exists())


class Faults(InFolder):
    """What goes wrong on the command line is said in words, with the mend, and ends with 2."""
    def said(self, *arguments):
        code, _, err = call(*arguments)
        self.assertEqual(code, 2, err)
        self.assertNotIn("Traceback", err)
        return err

    def test_data_folders_that_cannot_be_opened(self):
        damaged, newer, locked = (self.folder / name for name in ("damaged", "newer", "file"))
        damaged.mkdir()
        (damaged / "laboratory.sqlite").write_bytes(b"no database at all" * 400)
        database = open_database(newer)
        database.execute("PRAGMA user_version = 99")
        database.close()
        locked.write_text("a file where a folder should be")
        for verb in (["export", "x", self.folder / "x.zip"], ["backup", self.folder / "b.sqlite"],
                     ["worker", "--until-idle"], ["demo"], ["import", self.sheet]):
            for folder, words in ((damaged, "damaged"), (newer, "newer Ventaris"), (locked, "file|folder")):
                with self.subTest(f"{verb[0]} {folder.name}"):
                    self.assertRegex(self.said(*verb, "--data", folder), words)
        self.assertIn("no laboratory in",
                      self.said("backup", self.folder / "b.sqlite", "--data", self.folder / "moved"))
        self.assertFalse((self.folder / "moved").exists())

    def test_files_and_ports(self):
        open_database(self.folder / "lab").close()
        taken = self.folder / "taken"
        taken.write_text("x")
        for arguments, words in ((["run", self.sheet, "--resume", self.folder / "none.npz"],
                                  "--resume.*begins afresh"), (["run", self.sheet, "--out",
                                                                taken], "--out.*Give a folder"),
                                 (["serve", "--port", "-1", "--data", self.folder / "lab"],
                                  "1 to 65535"), (["serve", "--port", "99999", "--data",
                                                   self.folder / "lab"], "1 to 65535"), ([
                                                       "serve", "--port", "0", "--host", "no such host",
                                                       "--data", self.folder / "lab", "--no-demo"
                                                   ], "VENTARIS_PASSWORD|address"),
                                 (["import", self.folder / "none.zip", "--data",
                                   self.folder / "lab"], "No such file")):
            with self.subTest(arguments[-2:]):
                self.assertRegex(self.said(*arguments), words)
        self.assertEqual(
            call("backup", self.folder / "new folder" / "b.sqlite", "--data", self.folder / "lab")[0], 0)
        self.assertEqual((self.folder / "new folder" / "b.sqlite").stat().st_mode & 0o077, 0)
        self.assertEqual((self.folder / "lab" / "laboratory.sqlite").stat().st_mode & 0o077, 0)


class Demo(unittest.TestCase):
    @slow
    def test_it_loads_with_settled_results(self):
        with tempfile.TemporaryDirectory() as folder:
            database = open_database(folder)
            load_demo(database)
            found = {c["name"]: c["id"] for c in campaigns.all_campaigns(database)}
            states = {name: [r["state"] for r in runs.latest_runs(database, c).values()]
                      for name, c in found.items()}
            self.assertEqual([s for of in states.values() for s in of], ["settled"] * 110)
            database.close()

    @slow
    def test_running_one_again_finds_the_same_numbers(self):
        with zipfile.ZipFile(RESULTS / "1-drone.zip") as archive:
            name = next(n for n in archive.namelist() if n.endswith("0-2/run.json"))
            stored = json.loads(archive.read(name))["result"]
            sheet = read_toml(archive.read(name.replace("run.json", "sheet.toml")))
        execution = execute(sheet)
        for _ in execution:
            pass
        for key, value in stored["coefficients"].items():
            # Sums in another order on another machine change the last digits only.
            self.assertAlmostEqual(execution.result["coefficients"][key], value, delta=2e-6)
        self.assertEqual(len(execution.result["shocks"]), len(stored["shocks"]))
