"""What nozzles and their jets are compared by."""
from ..contract import Quantities
from .judge import NOZZLE_FLOORS

WORDS = {
    "thrust": ("Thrust in N", "", 2),
    "mass_flow": ("Mass flow in kg/s", "", 5),
    "thrust_coefficient": ("Thrust coefficient", "bad", 4),
    "discharge": ("Discharge coefficient", "", 4),
    "shock": ("Shock inside at x in m", "", 5),
    "exit_mach": ("Exit Mach number", "", 4),
    "exit_p": ("Exit pressure in Pa", "", 0),
    "pressure_ratio": ("Total pressure, exit over inlet", "bad", 4),
    "mach_disc": ("Mach disc behind the exit in m", "", 5),
    "plate_shock": ("Shock ahead of the plate, from it, in m", "", 5),
    "shock_cell": ("Shock-cell spacing in m", "", 5),
    "axis_speed": ("Axis speed half-way down the jet in m/s", "", 2),
    "plate_shear": ("Shear on the plate in N", "bad", 4),
    "plate_peak_shear": ("Peak shear on the plate in Pa", "bad", 2),
    "plate_force": ("Push on the plate in N", "", 3),
    "tone": ("Tone at the first microphone in Hz", "", 0),
    "tone_level": ("Its level in dB", "good", 1),
    "sound_level": ("Level at the first microphone in dB", "good", 1),
}
HEADLINES = (("mass_flow", "Mass flow, kg/s", 5), ("thrust", "Thrust, N", 3), ("exit_mach",
                                                                               "Exit Mach number", 4))
BY_LEVEL = (
    ("mass_flow", "mass flow, kg/s", 5),
    ("thrust", "thrust, N", 3),
    ("exit_mach", "exit Mach number", 4),
    ("exit_p", "exit pressure, Pa", 0),
    ("pressure_ratio", "total pressure kept", 5),
    ("shock", "shock at x, m", 5),
    ("mach_disc", "Mach disc behind the exit, m", 5),
    ("plate_shock", "shock ahead of the plate, from it, m", 5),
    ("shock_cell", "shock cells apart, m", 5),
    ("axis_speed", "axis speed half-way, m/s", 2),
    ("plate_shear", "shear on the plate, N", 5),
    ("plate_force", "push on the plate, N", 4),
    ("tone", "tone, Hz", 0),
    ("tone_level", "its level, dB", 1),
    ("sound_level", "level, dB", 1),
)

QUANTITIES = Quantities(WORDS, HEADLINES, BY_LEVEL, NOZZLE_FLOORS, best=("thrust", -1.0))
