"""Small bodies that several tests run."""
from ventaris.core.sheet import read_sheet
from ventaris.core.study.execute import execute

CAR = {"name": "car", "kind": "vehicle", "length": 4.0, "width": 1.6, "height": 1.4}
WHEEL = {
    "name": "wheel", "kind": "frustum", "length": 0.3, "front_diameter": 0.6, "rear_diameter": 0.6, "yaw": 90,
    "x": 1.0, "y": 0.9, "z": 0.1, "wheel": "yes"
}
SMALL = {"level": "medium", "surface_size": 0.12, "edge_halvings": 0, "curved": 0, "wake_length": 0}
NEAR = {"ahead": 1, "behind": 2, "beside": 1}


def body_sheet(parts=(CAR, ), **sections):
    sections = {
        "air": {"motion": "speed", "speed": 30}, "grid": SMALL, "domain": NEAR,
        "flow": {"model": "turbulent"}, "run": {"steps": 25, "steady": 0.02}, **sections
    }
    return read_sheet({"format": 1, "space": "body", "shape": {"parts": list(parts)}, **sections})


def run_body(*args, **sections):
    execution = execute(body_sheet(*args, **sections))
    for _ in execution:
        pass
    return execution
