"""The jet in time: its pieces, its borders, a short run."""
import unittest

import numpy as np

from tests.marks import slow, thorough
from tests.nozzles import CONE, nozzle_sheet
from ventaris.core.sound import jet as j
from ventaris.core.study.checks import estimate, examine
from ventaris.core.study.execute import execute
from ventaris.core.study.kinds.jet.ready import make_flow, screech_formula
from ventaris.core.study.kinds.jet.readings import (
    layer_thickness, microphone_result, spacing_of_cells, start_up_of
)
from ventaris.core.study.progress import RunFailed
from ventaris.core.study.setup import prepare
from ventaris.validation.noise import returned_pulse
from ventaris.validation.shocks import tube_by_jet_solver

QUICK = {
    "shape": {**CONE, "diverge_length": 0.0}, "air": {"total_pressure": 2.3e5},
    "domain": {"kind": "open air"},
    "flow": {"model": "noise", "cells_per_diameter": 10, "duration": 6, "discard": 1}
}
MICROPHONES = [{"name": "near", "x": 0.0, "r": 0.12}]


def noise_sheet(**change):
    return nozzle_sheet(**{**QUICK, "instruments": {"microphones": MICROPHONES}, **change})


def face_flux(left, right, normal=1, friction=0.0):
    """Flux through one face between two states, which are those of the cells as well."""
    one, other = (np.asarray(s, dtype=np.float32)[:, None].copy() for s in (left, right))
    flux = np.zeros((4, 1), dtype=np.float32)
    j.face_fluxes(one, other, one, other, normal, 1, np.array([friction], dtype=np.float32), flux)
    return flux[:, 0]


class Scheme(unittest.TestCase):
    def test_the_reconstruction_is_of_fifth_order(self):
        errors = []
        for n in (10, 20):
            h = 1.0 / n
            face = lambda k: np.cos(8 * k * h) / 8
            means = np.array([(face(k) - face(k + 1)) / h for k in range(-3, n + 4)])
            found = np.array([j.weno.py_func(*means[k - 2:k + 3]) for k in range(3, n)])
            cell = np.arange(3, n) - 3
            errors.append(
                max(
                    np.abs(found[:, 1] - np.sin(8 * (cell + 1) * h)).max(),
                    np.abs(found[:, 0] - np.sin(8 * cell * h)).max()))
        self.assertGreater(np.log2(errors[0] / errors[1]), 3.5)
        self.assertLess(errors[1], 2e-3)

    def test_equal_states_give_the_exact_flux(self):
        for rho, u, v, p in ((1.2, 0.4, -0.2, 0.8), (1.2, -0.4, 0.3, 0.8), (0.5, 2.5, 0.1, 0.4), (0.5, -2.5,
                                                                                                  0.1, 0.4)):
            e = p / 0.4 + 0.5 * rho * (u * u + v * v)
            state = np.array([rho, u, v, p])
            np.testing.assert_allclose(face_flux(state, state),
                                       [rho * u, rho * u * u + p, rho * u * v, u * (e + p)], rtol=1e-5)
            turned = state[[0, 2, 1, 3]]
            np.testing.assert_allclose(
                face_flux(turned, turned, normal=2)[[0, 2, 1, 3]], face_flux(state, state), rtol=1e-6)

    def test_a_contact_at_rest_stays(self):
        np.testing.assert_allclose(face_flux(np.array([1.0, 0, 0, 0.7]), np.array([2.0, 0, 0, 0.7])),
                                   [0, 0.7, 0, 0], atol=1e-6)

    def test_friction_drags_the_slower_side_along(self):
        one, other = np.array([1.0, 0, 0, 0.7]), np.array([1.0, 0, 0.2, 0.7])
        without, dragged = face_flux(one, other), face_flux(one, other, friction=0.1)
        np.testing.assert_allclose(dragged - without, [0, 0, -0.02, -0.1 * 0.5 * 0.2 * 0.2], atol=1e-6)

    def test_a_lost_reconstruction_falls_back_to_its_cell(self):
        side, cell = np.full((4, 3), 1.0, dtype=np.float32), np.full((4, 3), 2.0, dtype=np.float32)
        side[3, 1] = 0.01
        j.keep_positive(side, cell, 3)
        np.testing.assert_array_equal(side, [[1, 2, 1]] * 4)

    def test_shock_tube(self):
        # Sod's tube: the exact density behind the shock 0.26557, between contact and tail 0.42632.
        x, density = tube_by_jet_solver(200)
        self.assertAlmostEqual(float(np.median(density[(x > 0.22) & (x < 0.32)])), 0.26557, delta=0.002)
        self.assertAlmostEqual(float(np.median(density[(x > 0.02) & (x < 0.16)])), 0.42632, delta=0.003)


class Borders(unittest.TestCase):
    def test_air_at_rest_stays_at_rest(self):
        flow = j.JetFlow(1.0, 1.0, 1 / 1.2, 1.0, 1 / 1.2, cells=8)
        flow.jet[:] = np.array([1, 0, 0, 1 / 1.4])[:, None]
        flow.u[0], flow.u[1:3], flow.u[3] = 1, 0, 1 / 1.4 / 0.4
        flow.mean[:] = flow.u
        flow.advance(20)
        self.assertLess(np.abs(flow.u[1:3]).max(), 1e-5)

    def test_a_pulse_leaves_and_hardly_comes_back(self):
        self.assertLess(returned_pulse()[0], 0.01)


class Runs(unittest.TestCase):
    def test_a_short_run_hands_out_signals(self):
        run = execute(
            noise_sheet(instruments={
                "microphones": MICROPHONES, "formulas": [{"name": "twice", "expression": "2 * p_near"}]
            }))
        for progress in run:
            pass
        r = run.result
        self.assertFalse(r["verdict"]["settled"])
        self.assertIn("Too short", r["verdict"]["words"])
        self.assertIsNone(r["noise"]["microphones"]["near"])
        row = run.rows()["near"]
        self.assertGreater(len(row["s"]), 100)
        self.assertTrue(np.isfinite(row["pressure"]).all())
        self.assertAlmostEqual(run.history[-1]["twice"], 2 * run.history[-1]["p_near"])
        level, flow, state = run.field()
        self.assertEqual(len(state), flow.mesh.n_cells)
        self.assertTrue(flow.mesh.is_revolved)

    def test_moments_and_the_mean_are_kept(self):
        run = execute(noise_sheet(flow={**QUICK["flow"], "frames": 5}))
        for _ in run:
            pass
        recorder = run.recorder
        self.assertEqual(len(recorder.frames), 5)
        self.assertTrue(np.all(np.diff(recorder.times) > 0))
        self.assertLess(recorder.times[-1], 6.3)
        self.assertEqual(recorder.frames[0].shape, recorder.mean.shape)
        # The jet's core hardly moves: its mean is what any moment shows.
        core = run.field()[1].mesh.centre[:, 1] < 0.2
        near = core & (run.field()[1].mesh.centre[:, 0] < run.setup.contour.length / run.setup.scale + 0.3)
        u = recorder.frames[-1][near, 2].astype(float) * run.setup.stream.column_scale[2]
        self.assertLess(np.abs(u - recorder.mean[near, 2]).max(), 0.05)
        self.assertEqual(len(recorder.surround[0]), len(recorder.stations))
        self.assertIsNone(run.result["noise"]["far_field"])
        again = execute(noise_sheet(flow={**QUICK["flow"], "frames": 5}), run.checkpoint().to_bytes())
        self.assertEqual(len(again.recorder.surround), len(recorder.surround))

    def test_a_boundary_layer_at_the_exit(self):
        flow = make_flow(
            prepare(noise_sheet(flow={**QUICK["flow"], "cells_per_diameter": 24, "exit_layer": 0.1})))
        plain = make_flow(
            prepare(noise_sheet(flow={**QUICK["flow"], "cells_per_diameter": 24, "exit_layer": 0})))
        np.testing.assert_allclose(
            make_flow(
                prepare(noise_sheet(
                    flow={**QUICK["flow"], "cells_per_diameter": 24, "noise_reynolds": 2500}))).jet, flow.jet,
            rtol=1e-6)
        np.testing.assert_array_equal(plain.jet, plain.jet[:, :1].repeat(plain.at_wall, axis=1))
        self.assertAlmostEqual(layer_thickness(flow.exit_rows, flow.jet[1]), 0.1, delta=0.02)
        # Same total temperature and pressure across.
        total = lambda f: 1.4 * f.jet[3] / f.jet[0] + 0.2 * f.jet[1]**2
        np.testing.assert_allclose(total(flow), total(plain), rtol=1e-5)
        self.assertLess(flow.jet[1, -1], 0.4 * flow.jet[1, 0])

    def test_the_start_up_lasts_while_a_signal_grows(self):
        t = np.arange(0, 180, 0.05)
        row = lambda strength: {"s": t, "pressure": 5 + strength * np.sin(2 * np.pi * 0.7 * t)}
        grown, slow_one = row(1 + 0 * t), row(1 / (1 + np.exp(-(t - 65) / 7)))
        ended = lambda rows, least=60.0: start_up_of(rows, least, 60.0)
        self.assertEqual(ended({"near": grown}), 60.0)
        # Over 70 to 80 it has 0.8 of its strength, over 80 to 90 0.95.
        self.assertEqual(ended({"near": slow_one}), 80.0)
        self.assertEqual(ended({"near": grown, "far": slow_one}), 80.0)
        # A segment and a half stays, whatever happens; what was asked for is never shortened.
        self.assertEqual(ended({"near": row(np.exp((t - 180) / 20))}), t[-1] - 90.0)
        self.assertEqual(ended({"near": slow_one}, 120.0), 120.0)
        self.assertEqual(ended({}), 60.0)
        self.assertEqual(ended({"near": {"s": t[:0], "pressure": t[:0]}}), 60.0)

    def test_cells_are_told_from_the_smaller_waves_between_them(self):
        x = np.arange(0, 7, 1 / 24)
        cells = np.exp(-0.15 * x) * np.cos(2 * np.pi * (x - 0.7) / 0.85)
        ripples = 0.08 * np.exp(-0.15 * x) * np.cos(2 * np.pi * x / 0.21)
        self.assertAlmostEqual(spacing_of_cells(x, cells, 0.87), 0.85, delta=0.02)
        self.assertAlmostEqual(spacing_of_cells(x, cells + ripples, 0.87), 0.85, delta=0.03)
        self.assertIsNone(spacing_of_cells(x, np.exp(-x), 0.87))

    @slow
    def test_the_exit_may_come_from_the_inside(self):
        run = execute(
            noise_sheet(flow={**QUICK["flow"], "exit_profile": "computed", "duration": 5, "discard": 0.5},
                        grid={"along": 64, "across": 32}))
        notes = [progress.message for progress in run]
        exit_ = run.result["noise"]["exit"]
        self.assertEqual(exit_["from"], "computed")
        # The sonic line of a nozzle that converges up to its exit bends into the jet: subsonic on the axis,
        # the mass flow 1 % below theory.
        self.assertGreater(exit_["mach"], 0.85)
        rho, u, _, _ = run.jet.jet.astype(float)
        faces = run.jet.r_faces[:run.jet.at_wall + 1]
        mass = np.pi * (rho * u * np.diff(
            faces**2)).sum() * run.setup.air.density * run.setup.air.speed_of_sound * run.setup.scale**2
        self.assertAlmostEqual(mass / run.setup.derived()["mass_flow"], 0.99, delta=0.02)
        self.assertTrue(any("inside" in note.lower() for note in notes))

    @slow
    def test_a_run_goes_on_from_its_checkpoint(self):
        whole, broken = execute(noise_sheet()), execute(noise_sheet())
        for _ in whole:
            pass
        for progress in broken:
            if progress.step == 3:
                kept = broken.checkpoint().to_bytes()
                break
        again = execute(noise_sheet(), kept)
        for _ in again:
            pass
        np.testing.assert_allclose(again.rows()["near"]["pressure"],
                                   whole.rows()["near"]["pressure"], atol=0.5)

    def test_a_tone_in_a_record_is_found(self):
        t = np.arange(0, 0.2, 1e-5)
        rng = np.random.default_rng(2)
        found = microphone_result(t, 200 * np.sin(2 * np.pi * 2500 * t) + 5 * rng.normal(size=len(t)), 0.02,
                                  0.05)
        self.assertAlmostEqual(found["tones"][0]["frequency"], 2500, delta=10)
        self.assertAlmostEqual(found["tones"][0]["level"], 20 * np.log10(200 / 2**0.5 / 2e-5), delta=0.3)
        self.assertLess(found["change"], 0.02)
        self.assertIsNone(microphone_result(t[:100], t[:100], 0.0, 0.05))

    def test_what_cannot_be_heard_is_said_first(self):
        for change, words in (({"instruments": {}}, "needs a microphone"), ({
                "instruments": {"microphones": [{"name": "m", "x": -0.02, "r": 0.03}]}
        }, "inside the nozzle"), ({"instruments": {"microphones": [{"name": "m", "x": 0.0,
                                                                    "r": 0.36}]}}, "absorbing zone"),
                              ({"instruments": {"microphones": [{"name": "m", "x": 0.0, "r": 3}]}},
                               "outside the air"), ({"air": {"total_pressure": 1.2e5}},
                                                    "choked"), ({"domain": {"kind": "duct"}}, "in the open"),
                              ({"shape": {**QUICK["shape"], "form": "planar"}}, "round")):
            with self.subTest(words):
                _, findings = examine(noise_sheet(**change))
                self.assertTrue(any(f.grade == "stop" and words in f.message for f in findings),
                                [f.message for f in findings])
        with self.assertRaises(RunFailed):
            execute(noise_sheet(instruments={}))
        # Where there is no jet there is no estimate either, and no drawing of it is tried.
        for change, field in (({"air": {"supply": "supersonic"}},
                               "air.supply"), ({"air": {"total_pressure": 1.2e5}}, "air.total_pressure"),
                              ({"shape": {**QUICK["shape"], "lip": 1.0}}, "shape.lip")):
            setup, findings = examine(noise_sheet(**change))
            self.assertEqual([f.path for f in findings if f.grade == "stop"], [field])
            self.assertIsNone(estimate(setup))
            with self.assertRaises(RunFailed):
                make_flow(setup)
        short = examine(noise_sheet())[1]
        self.assertTrue(any("left: spectra need" in f.message for f in short))

    def test_doubts_about_a_jet_are_said_first(self):
        at = lambda mach: {"total_pressure": 101325 * (1 + 0.2 * mach**2)**3.5}
        said = lambda mach, **flow: [
            f.message for f in examine(noise_sheet(air=at(mach), flow={"model": "noise", **flow}))[1]
            if f.grade == "warn"
        ]
        self.assertEqual(said(1.15), [])
        self.assertIn("220 or more", "".join(said(1.10)))
        self.assertEqual(said(1.10, duration=220), [])
        self.assertIn("helical", "".join(said(1.35)))
        self.assertIn("16 cells", "".join(said(1.15, cells_per_diameter=12)))

    def test_the_formula_and_the_estimate(self):
        # Fully expanded Mach 1.15 from a cold convergent nozzle: f D / a = 0.5577 for u_c = 0.7 u_j.
        setup = prepare(noise_sheet(air={"total_pressure": 101325 * (1 + 0.2 * 1.15**2)**3.5}))
        self.assertAlmostEqual(
            screech_formula(setup) * setup.scale / setup.air.speed_of_sound, 0.5577, delta=0.002)
        self.assertGreater(estimate(setup).seconds, 3)
        self.assertEqual(make_flow(setup).cells, estimate(setup).cells)

    @slow
    @thorough
    def test_a_jet_makes_shock_cells_in_time_too(self):
        run = execute(
            noise_sheet(flow={"model": "noise", "cells_per_diameter": 16, "duration": 24, "discard": 5}))
        for _ in run:
            pass
        row = run.jet.mean[0, 0] * 0 + run.jet.u[0, 0]
        self.assertGreater(np.ptp(row[run.jet.at_exit + 5:run.jet.at_exit + 60]), 0.1)


if __name__ == "__main__":
    unittest.main()
