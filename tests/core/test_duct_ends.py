"""The ends of a blade row's duct: what comes in over the span, and a mass flow that the outlet holds."""
import unittest

import numpy as np

from tests.core.test_blade_rows import QUICK, passage
from tests.marks import slow
from ventaris.core.flow.boundaries.contract import Boundary
from ventaris.core.flow.discretisation import Discretisation
from ventaris.core.flow.radial_equilibrium import HeldFlow
from ventaris.core.flow.stream import FreeStream
from ventaris.core.formats.section_tables import read_inlet, write_inlet
from ventaris.core.formats.tables import TableError
from ventaris.core.sheet import SheetError, read_sheet, read_toml, write_toml
from ventaris.core.study.execute import execute
from ventaris.core.study.kinds.registry import kind_of
from ventaris.core.study.setup import prepare

EVEN = {"total_pressure": 101325.0, "total_temperature": 288.15, "swirl": 0.0}


def row(air=None, shape=None, **more):
    return read_sheet(QUICK | {"air": air or {}, "shape": QUICK["shape"] | (shape or {})} | more)


class HeldFlows(unittest.TestCase):
    """A row's line is stood in for by a curve: pressure at the hub to flow, followed with a lag."""

    @classmethod
    def setUpClass(cls):
        mesh = passage()
        cls.flow = Discretisation(mesh, FreeStream(0.5, 0.0), "slip", boundaries={
            "inlet": Boundary("far field"), "casing": Boundary("slip"), "outlet": Boundary("outlet")})
        cls.faces = mesh.boundaries["outlet"]
        cls.ring = mesh.level[mesh.left[cls.faces]]

    def follow(self, asked, line, steps=400, lag=4.0):
        """(outlet, flow at the end) of a line that gives the flow at a pressure over the head."""
        held = HeldFlow(self.flow, self.faces, self.ring, -0.13, asked, 0.58)
        through = line(held.pressure / 0.58)
        held.begin(through)
        for _ in range(steps):
            pressure = held.pressure + held.resistance * (through**2 - asked**2)
            through += (line(pressure / 0.58) - through) / lag
            held.carry(through)
        return held, through

    def test_the_pressure_is_found_near_choke_at_work_and_near_the_peak(self):
        # Largest flow 1; the pressure peaks at 0.8.
        def line(pressure):
            flows = np.linspace(0.8, 1.0, 201)
            pressures = 0.3 - 8 * (flows - 0.8)**2
            pressures[-1] = -10.0
            return float(np.interp(-pressure, -pressures, flows))

        for asked in (0.99, 0.95, 0.85, 0.81):
            held, through = self.follow(asked, line)
            self.assertFalse(held.choked, asked)
            self.assertAlmostEqual(through / asked, 1.0, delta=1e-3, msg=str(asked))
            self.assertTrue(held.arrived(through, 1e-3))

    def test_a_flow_that_cannot_pass_is_told_apart_from_one_on_its_way(self):
        held, through = self.follow(1.1, lambda pressure: 1.0 - 0.05 * max(pressure, 0.0))
        self.assertTrue(held.choked)
        self.assertTrue(held.arrived(through, 1e-4))
        self.assertAlmostEqual(through, 1.0, delta=1e-3)
        self.assertGreater(held.pressure, -0.35)

    def test_what_is_kept_is_taken_up(self):
        held, _ = self.follow(0.9, lambda pressure: 1.0 - 0.3 * pressure)
        again = HeldFlow(self.flow, self.faces, self.ring, held.pressure, 0.9, 0.58)
        again.restore(*held.kept())
        again.carry(0.95)
        held._course = []
        held.carry(0.95)
        self.assertAlmostEqual(again.pressure, held.pressure)


class Inlets(unittest.TestCase):
    PROFILE = [{"span": 0, **EVEN, "total_pressure": 98000.0}, {"span": 50, **EVEN, "swirl": 10.0},
               {"span": 100, **EVEN, "total_temperature": 300.0}]

    def test_stations_are_read_straight_between_and_held_beyond(self):
        setup = prepare(row({"profile": [{**station, "span": 0.8 * station["span"] + 10} for station in
                                         self.PROFILE]}))
        found = setup.inlet_at(np.array([0.0, 0.3, 0.5, 1.0]))
        self.assertTrue(np.allclose(found.pressure * 101325, [98000, 99662.5, 101325, 101325]))
        self.assertTrue(np.allclose(found.swirl, [0, 5, 10, 0]))
        self.assertAlmostEqual(float(found.temperature[-1]) * 288.15, 300)
        even = prepare(row({"swirl": 7.0}))
        self.assertEqual((even.inlet_mean.pressure, even.inlet_mean.swirl), (1.0, 7.0))

    def test_it_lies_on_the_faces(self):
        setup = prepare(row({"profile": self.PROFILE}))
        mesh = setup.generate("coarse")
        flow = Discretisation(mesh, setup.stream, "no-slip", closure="spalart-allmaras",
                              boundaries=setup.boundaries(mesh), omega=setup.turn)
        faces = mesh.boundaries["inlet"]
        r = np.hypot(*mesh.face_centre[faces, 1:].T)
        inner = np.argmin(r)
        ghost = flow.ghost[faces - flow.n_interior]
        share = (r[inner] - setup.row.hub[0]) / (setup.row.casing[0] - setup.row.hub[0])
        total = 98000 + share / 0.5 * 3325
        self.assertAlmostEqual(ghost[inner, 0] * 1.4 + 1, total / 101325, places=9)
        self.assertTrue(np.allclose(np.linalg.norm(ghost[:, 2:], axis=1), 1.0))

    def test_tables_go_out_and_come_back(self):
        data = write_inlet(self.PROFILE).encode()
        self.assertEqual(read_inlet(data, EVEN), self.PROFILE)
        short = read_inlet(b"# measured\nspan_percent;total_pressure_pa\n0;99000\n100;101000\n", EVEN)
        self.assertEqual(short[1], {**EVEN, "span": 100.0, "total_pressure": 101000.0})
        for bad, words in ((b"total_pressure_pa\n1\n", "lacks the column span_percent"),
                           (b"span_percent,depth\n1,2\n", "no column of what comes in"),
                           (b"span_percent\n1,2\n", "Line 2 has 2 values"),
                           (b"span_percent\n", "no station")):
            with self.assertRaises(TableError) as caught:
                read_inlet(bad, EVEN)
            self.assertIn(words, str(caught.exception))

    def test_the_sheet_carries_them_and_names_what_is_wrong(self):
        sheet = row({"profile": self.PROFILE, "outlet": "flow", "outlet_flow": "13.5 kg/s"})
        self.assertEqual(read_toml(write_toml(sheet)), sheet)
        for air, words in (({"profile": self.PROFILE[:1]}, "has one station"),
                           ({"profile": self.PROFILE[::-1]}, "50 % of the span follows 100 %"),
                           ({"outlet": "flow", "outlet_flow": -3}, "accepted: more than 0")):
            with self.assertRaises(SheetError) as caught:
                row(air)
            self.assertIn(words, str(caught.exception))

    def test_the_preflight_knows_the_choke(self):
        kind = kind_of(row())
        found = lambda flow: [f for f in kind.preflight(prepare(row({"outlet": "flow", "outlet_flow": flow})))
                              if f.path == "air.outlet_flow"]
        choke = prepare(row()).theory()["choked_flow"]
        self.assertEqual(found(0.9 * choke), [])
        self.assertEqual([f.grade for f in found(1.02 * choke)], ["warn"])
        self.assertEqual([f.grade for f in found(1.3 * choke)], ["stop"])
        self.assertIn(f"{choke:.4g} kg/s", found(1.3 * choke)[0].message)

    def test_a_point_by_its_flow_has_no_neighbour(self):
        away = kind_of(row()).neighbourhood.away
        flow = lambda value: row({"outlet": "flow", "outlet_flow": value}).air
        self.assertEqual(away(flow(13.0), flow(14.0)), float("inf"))
        self.assertEqual(away(flow(13.0), row({"back_pressure": 110000.0}).air), float("inf"))
        self.assertLess(away(row({"back_pressure": 111000.0}).air, row({"back_pressure": 110000.0}).air), 1)


@slow
class Runs(unittest.TestCase):
    def test_a_flow_asked_for_has_the_numbers_of_its_pressure(self):
        by_pressure = execute(row({"back_pressure": 110000.0}))
        for _ in by_pressure:
            pass
        first = by_pressure.result["coefficients"]
        sheet = row({"outlet": "flow", "outlet_flow": first["mass_flow"]})
        run = execute(sheet)
        for progress in run:
            if progress.step == 60:
                kept = run.checkpoint().to_bytes()
        found = run.result["coefficients"]
        self.assertTrue(run.result["verdict"]["settled"], run.result["verdict"]["words"])
        again = execute(sheet, kept)
        for _ in again:
            pass
        for c in (found, again.result["coefficients"]):
            self.assertAlmostEqual(c["mass_flow"] / first["mass_flow"], 1.0, delta=6e-4)
            for name in ("pressure_ratio", "torque", "efficiency"):
                self.assertAlmostEqual(c[name] / first[name], 1.0, delta=4e-3, msg=name)

    def test_total_pressure_that_comes_in_leaves_a_duct_without_work(self):
        """Thin straight blades along the stream, without friction: every stream surface keeps its total
        pressure (Crocco), so the profile passes."""
        profile = [{"span": 0, **EVEN, "total_pressure": 99500.0}, {"span": 100, **EVEN}]
        thin = {"chord": 0.08, "stagger": 0.0, "camber": 0.0, "thickness": 0.05}
        run = execute(row({"profile": profile, "speed": 0.0, "back_pressure": 93000.0},
                          {"made": "sections", "tip_gap": 0.0, "blades": 12, "form": "four-digit", "sections":
                           [{"radius": r, **thin} for r in (0.17, 0.25)]}, flow={"model": "inviscid"}))
        for _ in run:
            pass
        self.assertTrue(run.result["verdict"]["settled"], run.result["verdict"]["words"])
        span = run.rows()["span"]
        expected = np.interp(span["s"], [0, 1], [99500 / 101325, 1.0])
        inside = (span["s"] > 0.05) & (span["s"] < 0.95)
        self.assertLess(np.abs(span["pressure_ratio"] - expected)[inside].max(), 1e-3)


if __name__ == "__main__":
    unittest.main()
