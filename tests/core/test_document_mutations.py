"""Damaged run sheets, coordinates, contours, tables and checkpoints: read, or refused in words."""
import random
import tempfile
import time
import unittest
import zipfile
from pathlib import Path

from tests.marks import EVERYTHING
from tests.mutation import NASTY, mutated_bytes, mutated_json
from tests.sheets import run
from ventaris.core.formats.tables import TableError, read_measured
from ventaris.core.sheet import SheetError, read_sheet, read_toml, write_toml
from ventaris.core.shapes.coordinates import ShapeError, read_coordinates, read_pairs
from ventaris.core.shapes.families import four_digit
from ventaris.core.shapes.section import normalise
from ventaris.core.study.checks import examine
from ventaris.core.study.progress import Checkpoint, RunFailed
from ventaris.demo.loader import RESULTS


def demo_sheets():
    """The first sheet of every demo campaign without imported surfaces."""
    out = []
    for path in sorted(RESULTS.glob("*.zip")):
        with zipfile.ZipFile(path) as source:
            out.append(source.read(sorted(n for n in source.namelist() if n.endswith("sheet.toml"))[0]))
    return out


class Documents(unittest.TestCase):
    def offer(self, read, data, errors, what):
        started = time.monotonic()
        try:
            found = read(data)
        except errors as error:
            self.assertGreater(len(str(error)), 12, what)
            found = None
        self.assertLess(time.monotonic() - started, 20, what)
        return found

    def test_run_sheets_with_bytes_changed(self):
        rng, sheets = random.Random(41), demo_sheets()
        for number in range(4000 if EVERYTHING else 300):
            self.offer(read_toml, mutated_bytes(rng.choice(sheets), rng), SheetError, f"sheet {number}")

    def test_run_sheets_with_any_value_changed_are_examined_in_words(self):
        rng, sheets = random.Random(43), [read_toml(s).model_dump() for s in demo_sheets()]
        for number in range(1500 if EVERYTHING else 120):
            sheet = self.offer(read_sheet, mutated_json(rng.choice(sheets), rng), SheetError,
                               f"values {number}")
            if sheet is not None and sheet.space != "body":
                # What does not apply is left out of the text; what is in it stays.
                self.assertEqual(write_toml(self.offer(read_toml, write_toml(sheet), (), f"again {number}")),
                                 write_toml(sheet))
                self.offer(examine, sheet, (), f"examined {number}")

    def test_settings_of_the_command_line(self):
        rng, sheets = random.Random(47), demo_sheets()
        for number in range(2000 if EVERYTHING else 200):
            path = rng.choice(("air.mach", "shape", "grid.level", "run.steps", "air", "x.y.z", "shape.parts",
                               "instruments.formulas", ""))
            value = str(rng.choice(NASTY))[:2000]
            self.offer(lambda data: read_toml(data, [f"{path}={value}"]), rng.choice(sheets), SheetError,
                       f"setting {number} {path}")

    def test_coordinates_contours_and_tables(self):
        rng = random.Random(53)
        loop = "\n".join(f"{x:.5f} {y:.5f}" for x, y in four_digit(0.12)).encode()
        contour = b"0 0.05\n0.03 0.05\n0.1 0.03\n0.2 0.04\n"
        table = b"x/c,Cp\n0.1,-0.5\n0.2,-0.7\n0.4,-0.2\n"

        def section(data):
            found, _ = read_coordinates(data)
            return normalise(found)

        for number in range(3000 if EVERYTHING else 250):
            self.offer(section, mutated_bytes(loop, rng), ShapeError, f"coordinates {number}")
            self.offer(read_pairs, mutated_bytes(contour, rng), ShapeError, f"contour {number}")
            self.offer(read_measured, mutated_bytes(table, rng), TableError, f"table {number}")

    def test_checkpoints(self):
        rng = random.Random(59)
        good = run(run={"steps": 5}).checkpoint().to_bytes()
        for number in range(600 if EVERYTHING else 60):
            self.offer(Checkpoint.from_bytes, mutated_bytes(good, rng), RunFailed, f"checkpoint {number}")
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "c.npz"
            file.write_bytes(good)
            self.assertEqual(Checkpoint.from_bytes(file.read_bytes()).level, "coarse")


if __name__ == "__main__":
    unittest.main()
