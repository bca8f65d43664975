"""Gases that are not air: what the solver finds against theory at other ratios of specific heats."""
import unittest

import numpy as np
from scipy.optimize import brentq

from tests.marks import slow
from tests.meshes import box_mesh
from tests.nozzles import SMALL, run_nozzle
from tests.sheets import sheet
from ventaris.core.flow.discretisation import Discretisation
from ventaris.core.flow.march.unsteady import TimeMarch
from ventaris.core.flow.stream import FreeStream
from ventaris.core.gas import normal_shock
from ventaris.core.study.setup import prepare
from ventaris.core.theory import mach_of_area


class ShockTube(unittest.TestCase):
    """A diaphragm between air of eight times the pressure and air at rest bursts (both as warm)."""
    @slow
    def test_plateau_and_front_are_those_of_the_gas(self):
        for g in (1.3, 1.667):
            ratio = 8.0

            def gap(star):
                """Speed behind the front less that behind the expansion, both over the speed of sound at
                rest."""
                front = (star - 1) / g * np.sqrt(2 * g / (g + 1) / (star + (g - 1) / (g + 1)))
                return front - 2 / (g - 1) * (1 - (star / ratio)**(0.5 * (g - 1) / g))

            star = brentq(gap, 1.0, ratio)
            speed = 2 / (g - 1) * (1 - (star / ratio)**(0.5 * (g - 1) / g))
            mach = np.sqrt((g + 1) / (2 * g) * (star - 1) + 1)
            mesh = box_mesh(400)
            flow = Discretisation(mesh, FreeStream(1e-6, gamma=g), "slip", limit=True, precondition=False,
                                  vortex=False, strength=1.0)
            flow.row_scale[:], flow.column_scale[:] = 1.0, 1.0
            state = flow.uniform_state()
            state[:, 0] = np.where(mesh.centre[:, 0] < 0.5, (ratio - 1) / g, 0.0)
            march = TimeMarch(flow, state, 0.5 / 400, tolerance=1e-4)
            while march.time < 0.2:
                march.advance()
            x, p = mesh.centre[:, 0], 1 + g * march.state[:, 0]
            between = (x > 0.5 + 0.5 * speed * march.time) & (x < 0.5 + 0.8 * mach * march.time)
            with self.subTest(gamma=g):
                self.assertAlmostEqual(np.median(p[between]) / star, 1, delta=0.01)
                self.assertAlmostEqual(np.median(march.state[between, 2]) / speed, 1, delta=0.01)
                # The front stands where its pressure is half-way, within three cells.
                front = x[np.nonzero(p > 0.5 * (1 + star))[0][-1]]
                self.assertAlmostEqual(front, 0.5 + mach * march.time, delta=3 / 400)
                self.assertAlmostEqual(normal_shock(mach, g)[1], star, delta=1e-6 * star)


class Nozzles(unittest.TestCase):
    @slow
    def test_a_choked_nozzle_passes_what_theory_says(self):
        for g in (1.3, 1.667):
            done = run_nozzle(air={"gamma": g, "total_pressure": 8e5}, flow={"model": "inviscid"},
                              domain={"kind": "duct"}, grid={**SMALL, "across": 16, "level": "fine"})
            theory, found = done.result["theory"], done.result["coefficients"]
            with self.subTest(gamma=g):
                # Curved sonic line and cone: a per cent or two below one dimension.
                self.assertAlmostEqual(found["mass_flow"] / theory["mass_flow"], 0.99, delta=0.015)
                self.assertAlmostEqual(theory["exit_mach"], mach_of_area(1.44, g, supersonic=True),
                                       delta=1e-3)
                self.assertAlmostEqual(found["exit_mach"] / theory["exit_mach"], 1, delta=0.03)

    def test_a_gas_may_be_given_by_its_specific_heat(self):
        air = {"state": "pressure and temperature", "pressure": 1e5, "temperature": 300}
        helium = prepare(
            sheet(air={**air, "gas": "heat", "heat_capacity": 5193, "molar_mass": "4.0026 g/mol"})).air
        self.assertAlmostEqual(helium.gamma, 1.667, delta=1e-3)
        self.assertAlmostEqual(helium.speed_of_sound, 1019, delta=1)  # NIST: 1019 m/s at 300 K
        with self.assertRaisesRegex(ValueError, r"air.heat_capacity = 300.*Give 715"):
            prepare(sheet(air={"gas": "heat", "heat_capacity": 300, "molar_mass": "28.97 g/mol"}))


if __name__ == "__main__":
    unittest.main()
