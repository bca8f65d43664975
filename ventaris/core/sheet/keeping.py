"""What is kept of a run and how many cores it takes: declared once for every kind of sheet."""
from typing import Literal

from .fields import choice, number

Keep = Literal["all", "fields", "numbers"]
# Settings of how a run is carried out: its answer is the same whatever they are.
CARRIED_OUT = ("run.keep", "run.cores")


def keeping():
    """The field *Keep*."""
    return choice(
        "all", "Keep",
        "Numbers, history, curves and a small picture are always kept. The flow itself is needed for "
        "pictures, differences of fields and values along lines; what the run needs to go on takes half of "
        "the disk, and is where neighbouring points start from.", all="everything",
        fields="the flow", numbers="numbers and curves")


def own_cores():
    """The field *Cores*."""
    return number(0, "", 0, 256, "Cores",
                  "That this run may take, of those its worker has; 0 takes them all.", whole=True)
