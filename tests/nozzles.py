"""Small nozzles for tests."""
from ventaris.core.sheet import read_sheet
from ventaris.core.study.execute import execute

SMALL = {"along": 64, "across": 8, "level": "coarse"}
CONE = {
    "kind": "conical", "inlet_radius": 0.05, "throat_radius": 0.03, "exit_radius": 0.036,
    "diverge_length": 0.1
}


def nozzle_sheet(**sections):
    """A sheet of a small nozzle; sections override."""
    return read_sheet({"format": 1, "space": "nozzle", "shape": CONE, "grid": SMALL, **sections})


def run_nozzle(**sections):
    run = execute(nozzle_sheet(**sections))
    for _ in run:
        pass
    return run
