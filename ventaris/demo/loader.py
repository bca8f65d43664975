"""Load the Tarnholt campaigns with their ready results."""
from pathlib import Path

from ..store import archive

RESULTS = Path(__file__).with_name("results")


def load_demo(database):
    """Import the demo archives; returns a line for each."""
    lines = []
    for path in sorted(RESULTS.glob("*.zip"), reverse=True):
        archive.import_campaign(database, path.read_bytes())
        lines.append(f"loaded {path.stem}")
    return lines
