"""What a gas is: declared once for every kind of sheet."""
from typing import Literal

from ..gas import AIR_CONSTANT, UNIVERSAL_CONSTANT
from .fields import choice, number

LEAST_RATIO, LARGEST_RATIO = 1.05, 1.67
GasGiven = Literal["ratio", "heat"]
BY_RATIO, BY_HEAT = {"gas": "ratio"}, {"gas": "heat"}


def gas_given():
    """How the gas is given."""
    return choice("ratio", "Gas given by", "Two numbers say what a perfect gas is.",
                  ratio="ratio of specific heats and gas constant", heat="specific heat and molar mass")


def heat_ratio():
    """The field of the ratio of specific heats."""
    return number(1.4, "", LEAST_RATIO, LARGEST_RATIO, "Ratio of specific heats",
                  "1.4 for air; 1.667 for helium and argon, 1.3 for steam and hot exhaust.", when=BY_RATIO)


def specific_constant():
    """The field of the gas constant."""
    return number(AIR_CONSTANT, "J/(kg*K)", 10, 5000, "Gas constant", "287.05 J/(kg·K) for air.",
                  when=BY_RATIO)


def heat_capacity():
    """The field of the specific heat."""
    return number(1004.7, "J/(kg*K)", 100, 20_000, "Specific heat at constant pressure",
                  "1004.7 J/(kg·K) for air.", when=BY_HEAT)


def molar_mass():
    """The field of the molar mass."""
    return number(0.028965, "kg/mol", 0.001, 1.0, "Molar mass",
                  "0.028965 kg/mol for air; 0.0040026 for helium, 0.04401 for carbon dioxide.", when=BY_HEAT)


class OfGas:
    """For sections that hold the five fields: what the computation asks of a gas."""
    @property
    def constant(self):
        """Specific gas constant, J/(kg K)."""
        return self.gas_constant if self.gas == "ratio" else UNIVERSAL_CONSTANT / self.molar_mass

    @property
    def ratio(self):
        """Ratio of specific heats."""
        return self.gamma if self.gas == "ratio" else self.heat_capacity / (self.heat_capacity -
                                                                            self.constant)

    def check_gas(self):
        """Raise ValueError where specific heat and molar mass make no gas that can be computed."""
        if self.gas == "ratio":
            return
        least = self.constant / (1 - 1 / LARGEST_RATIO)
        most = self.constant / (1 - 1 / LEAST_RATIO)
        if not least <= self.heat_capacity <= most:
            raise ValueError(
                f"air.heat_capacity = {self.heat_capacity:g} J/(kg·K): with a molar mass of "
                f"{self.molar_mass:g} kg/mol (gas constant "
                f"{self.constant:.4g} J/(kg·K)) the ratio of specific heats would lie outside {LEAST_RATIO} "
                f"to {LARGEST_RATIO}. Give {least:.4g} to {most:.4g} J/(kg·K), or mend the molar mass")
