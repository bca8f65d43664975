"""Blade elements and momentum against closed results of momentum theory."""
import unittest

import numpy as np

from ventaris.core.blade_elements import rotor_theory


class BladeElements(unittest.TestCase):
    def test_a_wheel_shaped_for_its_wind_takes_nearly_all_that_can_be_taken(self):
        ratio, wind, r = 7.0, 8.0, np.linspace(0.05, 1.0, 40)
        # Burton and others, Wind energy handbook, section 3.7: inflow and chord of the optimum wheel.
        inflow, incidence = 2 / 3 * np.arctan(1 / (ratio * r)), np.radians(6)
        chord = 8 * np.pi * r / (3 * 2 * np.pi * incidence) * (1 - np.cos(inflow))
        found = rotor_theory(r, chord, inflow - incidence, 3, 0.05, 1.0, ratio * wind, wind, 340.0, 1.2,
                             drag=0.0)
        share = -found["power"] / (0.5 * 1.2 * wind**3 * np.pi)
        self.assertLess(share, 16 / 27)
        self.assertGreater(share, 0.48)
        self.assertLess(found["thrust"], 0)

    def test_a_loaded_wheel_gives_no_more_than_the_wind_pushes(self):
        r = np.array([0.3, 0.75, 1.5])
        pitch, camber = np.radians([16.0, 7.0, 2.0]), np.radians([-12.0, -12.0, -12.0])
        found = rotor_theory(r, [0.22, 0.15, 0.09], pitch, 3, 0.3, 1.5, 36.65, 8.0, 340.0, 1.225,
                             camber=camber)
        thrust, power = -found["thrust"], -found["power"]
        head = 0.5 * 1.225 * 64 * np.pi * 1.5**2
        self.assertTrue(0.7 < thrust / head < 1.0)
        # What it takes is the push times the air's speed through the disc, less drag and swirl.
        self.assertLess(power, thrust * 8.0 * 0.75)
        self.assertGreater(power, thrust * 8.0 * 0.45)

    def test_a_lightly_loaded_propeller_wastes_little(self):
        r = np.linspace(0.1, 1.0, 30)
        omega, wind = 200.0, 60.0
        pitch = np.arctan(wind / (omega * r)) + np.radians(0.5)
        found = rotor_theory(r, np.full(30, 0.05), pitch, 2, 0.1, 1.0, omega, wind, 340.0, 1.2, drag=0.0)
        self.assertGreater(found["thrust"], 0)
        self.assertAlmostEqual(found["thrust"] * wind / found["power"], 1.0, delta=0.03)

    def test_a_hovering_rotor_induces_what_momentum_asks_for(self):
        # Uniform inflow, constant chord, many blades: the closed form of Leishman, section 3.3.
        pitch, solidity, omega = np.radians(8), 0.1, 40.0
        blades, chord = 40, np.pi * 0.1 / 40
        found = rotor_theory([0.05, 1.0], [chord, chord], [pitch, pitch], blades, 0.05, 1.0, omega, 0.0, 1e6,
                             1.2, drag=0.0)
        slope = 2 * np.pi
        inflow = lambda x: solidity * slope / 16 * (np.sqrt(1 + 32 * pitch * x / (solidity * slope)) - 1)
        x = np.linspace(0.05, 1.0, 400)
        ideal = np.trapezoid(0.5 * solidity * slope * (pitch * x**2 - inflow(x) * x), x)
        self.assertAlmostEqual(found["thrust"] / (1.2 * np.pi * omega**2) / ideal, 1.0, delta=0.03)


if __name__ == "__main__":
    unittest.main()
