import unittest

import numpy as np

from ventaris.core import gas


class StandardAtmosphere(unittest.TestCase):
    def test_tabulated_values(self):
        # U.S. Standard Atmosphere 1976, table I; geometric altitude. Four digits of the table.
        for altitude, temperature, pressure in ((0, 288.15, 101325), (5000, 255.676, 54048),
                                                (11000, 216.774, 22700), (20000, 216.65, 5529.3),
                                                (32000, 228.49, 889.06), (50000, 270.65, 79.779),
                                                (71000, 216.846, 4.4795), (-1000, 294.651, 113930)):
            with self.subTest(altitude):
                t, p = gas.standard_atmosphere(altitude)
                self.assertAlmostEqual(t / temperature, 1, delta=2e-4)
                self.assertAlmostEqual(p / pressure, 1, delta=5e-4)

    def test_outside_it_says_where_it_ends(self):
        with self.assertRaisesRegex(ValueError, "86 km"):
            gas.standard_atmosphere(93e3)


class Relations(unittest.TestCase):
    def test_isentropic_and_normal_shock_tables(self):
        # NACA Report 1135.
        self.assertAlmostEqual(1 / gas.isentropic_pressure_ratio(2.0), 0.1278, places=4)
        behind, pressure, density, total = gas.normal_shock(2.0)
        for value, table in ((behind, 0.5774), (pressure, 4.5), (density, 2.6667), (total, 0.7209)):
            self.assertAlmostEqual(value, table, places=4)

    def test_oblique_shock_and_expansion_tables(self):
        behind, pressure, wave = gas.oblique_shock(2.0, np.radians(10))
        self.assertAlmostEqual(behind, 1.6405, places=3)
        self.assertAlmostEqual(pressure, 1.7066, places=3)
        self.assertAlmostEqual(np.degrees(wave), 39.314, places=2)
        self.assertAlmostEqual(np.degrees(gas.prandtl_meyer(2.0)), 26.3798, places=3)
        after, ratio = gas.expansion(2.0, np.radians(10))
        self.assertAlmostEqual(after, 2.3849, places=3)

    def test_a_detached_shock_is_refused(self):
        with self.assertRaisesRegex(ValueError, "detaches"):
            gas.oblique_shock(1.5, np.radians(20))

    def test_sutherland_viscosity_of_air(self):
        # White, Viscous Fluid Flow, table: 1.716e-5 at 273 K, 2.27e-5 at 400 K (2 %).
        self.assertAlmostEqual(gas.sutherland_viscosity(273.15), 1.716e-5, delta=1e-8)
        self.assertAlmostEqual(gas.sutherland_viscosity(400) / 2.285e-5, 1, delta=0.02)

    def test_critical_pressure_coefficient(self):
        self.assertAlmostEqual(gas.critical_pressure_coefficient(0.8), -0.4346, places=3)
