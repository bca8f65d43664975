"""Small sheets that several tests run."""
from ventaris.core.sheet import read_sheet
from ventaris.core.study.execute import execute

COARSE = {"level": "coarse"}
QUICK = {"level": "medium", "around": 128, "layers": 40, "wake": 32}


def sheet(grid=COARSE, **sections):
    sections.setdefault("air", {"motion": "mach", "mach": 0.3, "incidence": 2})
    return read_sheet({"format": 1, "grid": dict(grid), **sections})


def run(*args, **sections):
    execution = execute(sheet(*args, **sections))
    for _ in execution:
        pass
    return execution
