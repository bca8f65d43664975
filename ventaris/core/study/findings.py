"""What is said before a run: findings with their mends, and the cost."""
from dataclasses import asdict, dataclass


@dataclass
class Finding:
    """One line of the preflight: `grade` is "stop", "warn" or "note"."""

    grade: str
    path: str
    message: str


@dataclass
class Estimate:
    """What a run will cost."""

    cells: int
    seconds: float
    memory_mb: float
    disk_mb: float

    def as_dict(self):
        return asdict(self)
