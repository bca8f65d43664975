"""What blade rows are compared by."""
from ..contract import Quantities
from .judge import ROW_FLOORS

WORDS = {
    "efficiency": ("Efficiency", "bad", 4),
    "pressure_ratio": ("Total-pressure ratio", "", 4),
    "mass_flow": ("Mass flow in kg/s", "", 4),
    "corrected_flow": ("Corrected flow in kg/s", "", 4),
    "polytropic_efficiency": ("Polytropic efficiency", "bad", 4),
    "temperature_ratio": ("Total-temperature ratio", "", 5),
    "power": ("Power in W", "", 1),
    "torque": ("Torque in N m", "", 4),
    "thrust": ("Thrust in N", "", 3),
    "relative_loss": ("Loss of relative total pressure", "good", 4),
    "relative_inlet_angle": ("Relative inlet angle, °", "", 2),
    "relative_outlet_angle": ("Relative outlet angle, °", "", 2),
    "outlet_angle": ("Outlet angle at rest, °", "", 2),
    "relative_inlet_mach": ("Relative inlet Mach number", "", 4),
    "diffusion": ("Diffusion factor", "", 3),
    "flow_coefficient": ("Flow coefficient", "", 4),
    "loading": ("Loading coefficient", "", 4),
    "static_ratio": ("Static pressure behind over total ahead", "", 4),
    "thrust_coefficient": ("Thrust coefficient, by n² D⁴", "", 5),
    "power_coefficient": ("Power coefficient, by n³ D⁵", "", 5),
    "disc_thrust": ("Thrust coefficient, by the disc and tip speed", "", 6),
    "disc_power": ("Torque coefficient, by the disc and tip speed", "", 6),
    "figure_of_merit": ("Figure of merit", "bad", 4),
    "wheel_power": ("Power, of what blows through the disc", "bad", 4),
    "wheel_thrust": ("Push of the wind, over its head", "", 4),
    "work": ("Rise of total enthalpy in W", "", 1),
    "work_by_swirl": ("Work by the change of swirl in W", "", 1),
    "power_balance": ("Torque times speed over rise of enthalpy, less 1", "", 6),
    "mass_flow_in": ("Mass flow in, kg/s", "", 5),
    "mass_flow_out": ("Mass flow out, kg/s", "", 5),
    "inlet_mach": ("Inlet Mach number", "", 4),
    "back_flow": ("Share of the outlet through which air runs back", "good", 4),
}
HEADLINES = (("mass_flow", "Mass flow, kg/s", 4), ("pressure_ratio", "Pressure ratio", 4),
             ("efficiency", "Efficiency", 4), ("thrust", "Thrust, N", 2), ("power", "Power, W", 0),
             ("wheel_power", "Power from the wind", 4), ("figure_of_merit", "Figure of merit", 3))
BY_LEVEL = tuple(
    (key, WORDS[key][0], WORDS[key][2])
    for key in ("mass_flow", "pressure_ratio", "temperature_ratio", "efficiency", "polytropic_efficiency",
                "torque", "power", "thrust", "relative_inlet_angle", "relative_outlet_angle", "relative_loss",
                "thrust_coefficient", "power_coefficient", "disc_thrust", "figure_of_merit", "wheel_power",
                "wheel_thrust"))

QUANTITIES = Quantities(WORDS, HEADLINES, BY_LEVEL, ROW_FLOORS, best=("efficiency", -1.0),
                        next_best=(("wheel_power", -1.0), ("figure_of_merit", -1.0), ("thrust", -1.0)))
