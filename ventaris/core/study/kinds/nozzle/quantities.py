"""What nozzles and their jets are compared by."""
from ..contract import Quantities

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

QUANTITIES = Quantities(WORDS, best=("thrust", -1.0))
