"""The closures by name: what a run sheet says, what a reader sees, and where each is found.

No compiled code is loaded here, so that sheets can read it. A further closure is a file of this room and a
line of `CATALOGUE`.
"""
from dataclasses import dataclass, field
from importlib import import_module


@dataclass(frozen=True)
class Entry:
    """One closure.

    Attributes
    ----------
    label : str
    unknowns : int
    module, name : str
        Where its class stands in this room.
    settings : dict
        What its class is given beside the flow and its options.
    """

    label: str
    unknowns: int
    module: str
    name: str
    settings: dict = field(default_factory=dict)

    def make(self, flow, options):
        """The closure on one discretisation."""
        return getattr(import_module(f"{__package__}.{self.module}"), self.name)(flow, options,
                                                                                 **self.settings)


CATALOGUE = {
    "spalart-allmaras": Entry("Spalart-Allmaras", 1, "spalart_allmaras", "SpalartAllmaras"),
    "sst": Entry("k-ω SST", 2, "shear_stress_transport", "ShearStressTransport"),
    "sst-shock": Entry("k-ω SST for shocks", 2, "shear_stress_transport", "ShearStressTransport",
                       {"shear_limit": 0.355}),
    "k-epsilon": Entry("k-ε", 2, "k_epsilon", "KEpsilon"),
}
