"""What campaigns that weigh a shape have in common: coefficients, forces, lift over drag."""
from .contract import RowList

HISTORIES = {
    "lift": "Lift coefficient CL", "drag": "Drag coefficient CD", "moment": "Moment coefficient CM",
    "residual": "Residual"
}
FORMULAS = RowList("formulas", "Formula channels", "formula",
                   "computed from the other channels at every step")
SWEPT = {"incidence": ("Incidence α, °", "deg"), "mach": ("Mach number", ""), "speed": ("Speed, m/s", "m/s")}
AXES = {key: (label, 1.0) for key, (label, _) in SWEPT.items()}


def given(form, names):
    """What a form gives of some fields."""
    return {name: form[name] for name in names if form.get(name, "").strip()}


def point_air(form):
    """Speed or Mach number, altitude and incidence of a new operating point."""
    air = given(form, ("speed", "mach", "altitude", "incidence"))
    if "speed" in air or "mach" in air:
        air["motion"] = "mach" if "mach" in air else "speed"
    if "altitude" in air:
        air["state"] = "standard atmosphere"
    return air
