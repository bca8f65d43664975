"""Load the Tarnholt campaigns with their ready results."""
import fcntl
from pathlib import Path

from ..store import archive
from ..store.campaigns import all_campaigns
from ..store.database import open_database

RESULTS = Path(__file__).with_name("results")


def load_demo_once(folder):
    """Load the demo into an empty laboratory; of two servers that start on it together, one does."""
    with open(Path(folder) / "demo.lock", "a", encoding="utf-8") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        database = open_database(folder)
        try:
            return [] if all_campaigns(database) else load_demo(database)
        finally:
            database.close()


def load_demo(database):
    """Import the demo archives; returns a line for each."""
    lines = []
    for path in sorted(RESULTS.glob("*.zip"), reverse=True):
        archive.import_campaign(database, path.read_bytes(), arrays=False)
        lines.append(f"loaded {path.stem}")
    return lines
