"""Balance, meters and shadows of bodies, on flows that are known by heart."""
import unittest
from types import SimpleNamespace

import numpy as np

from ventaris.core.instruments.body_balance import BodyBalance, body_forces
from ventaris.core.instruments.plane_meter import SpatialSampler, read_meter, read_point
from ventaris.core.look.silhouette import edges, silhouette
from ventaris.core.shapes.frontal import frontal_area
from ventaris.core.shapes.bodies import box, ellipsoid

MACH = 0.2


def weighed(pressure, places, friction=None, **how):
    """The balance's reading of forces (over the dynamic pressure) at wall faces."""
    q = 0.5 * MACH**2
    pressure = np.asarray(pressure, dtype=float)
    friction = np.zeros_like(pressure) if friction is None else np.asarray(friction, dtype=float)
    flow = SimpleNamespace(
        stream=SimpleNamespace(mach=MACH), wall_loads=lambda: (q * pressure, q * friction),
        wall=np.arange(len(pressure)), is_blown=np.zeros(len(pressure), dtype=bool),
        mesh=SimpleNamespace(face_centre=np.asarray(places, dtype=float), n_faces=len(pressure),
                             walls=["front",
                                    "back"], boundaries={"front": np.array([0]), "back": np.array([1])}))
    how = {
        "area": 2.0, "length": 4.0, "moment_point": np.zeros(3), "direction": np.array([1.0, 0.0, 0.0]), **how
    }
    return BodyBalance(**how), flow


class Weighing(unittest.TestCase):
    def test_drag_side_and_lift_of_a_stream_along_x(self):
        balance, flow = weighed([[1.0, 0.2, -0.4], [0.6, 0.0, 0.8]], [[0, 0, 0], [1, 0, 0]],
                                [[0.1, 0, 0], [0.3, 0, 0]])
        found = balance.measure(flow)
        for name, expected in {
                "drag": 1.0, "drag_pressure": 0.8, "drag_friction": 0.2, "side": 0.1, "lift": 0.2,
                "lift_pressure": 0.2
        }.items():
            self.assertAlmostEqual(found[name], expected, places=12, msg=name)

    def test_a_turned_stream_turns_the_axes_with_it(self):
        angle = np.radians(30)
        balance, flow = weighed([[2.0, 0.0, 0.0], [0.0, 0.0, 0.0]], [[0, 0, 0], [1, 0, 0]],
                                direction=np.array([np.cos(angle), np.sin(angle), 0.0]))
        found = balance.measure(flow)
        self.assertAlmostEqual(found["drag"], np.cos(angle), places=12)
        self.assertAlmostEqual(found["side"], -np.sin(angle), places=12)
        self.assertAlmostEqual(found["lift"], 0.0, places=12)
        # In climbing air, too, lift is at right angles to the stream.
        climbing, flow = weighed([[2.0, 0.0, 0.0], [0.0, 0.0, 0.0]], [[0, 0, 0], [1, 0, 0]],
                                 direction=np.array([np.cos(angle), 0.0, np.sin(angle)]))
        self.assertAlmostEqual(climbing.measure(flow)["lift"], -np.sin(angle), places=12)

    def test_signs_of_the_moments(self):
        # A push upwards ahead of the point (the nose looks to -x) lifts the nose.
        ahead, flow = weighed([[0, 0, 2.0], [0, 0, 0]], [[-1.0, 0, 0], [1, 0, 0]])
        self.assertAlmostEqual(ahead.measure(flow)["moment"], 1.0 / 4.0, places=12)
        # A push upwards on the left (y < 0) rolls the right side down.
        left, flow = weighed([[0, 0, 2.0], [0, 0, 0]], [[0, -1.0, 0], [0, 1, 0]])
        self.assertAlmostEqual(left.measure(flow)["roll"], 1.0 / 4.0, places=12)
        # A push to the right at the nose turns it to the right.
        nose, flow = weighed([[0, 2.0, 0], [0, 0, 0]], [[-1.0, 0, 0], [1, 0, 0]])
        self.assertAlmostEqual(nose.measure(flow)["turn"], 1.0 / 4.0, places=12)

    def test_axles_share_the_lift_by_the_lever(self):
        # Lift at a quarter of the wheelbase behind the front axle; drag at the ground has no lever about it.
        balance, flow = weighed([[0, 0, 2.0], [3.0, 0, 0]], [[1.5, 0, 0.4], [0.7, 0, 0]],
                                axles=(1.0, 3.0, 0.0))
        found = balance.measure(flow)
        self.assertAlmostEqual(found["lift_front"], 0.75, places=12)
        self.assertAlmostEqual(found["lift_rear"], 0.25, places=12)
        # Drag above the ground lifts the front axle by as much as it loads the rear one.
        balance, flow = weighed([[2.0, 0, 0], [0, 0, 0]], [[2.0, 0, 0.5], [0, 0, 0]], axles=(1.0, 3.0, 0.0))
        found = balance.measure(flow)
        self.assertAlmostEqual(found["lift_front"], 0.25, places=12)
        self.assertAlmostEqual(found["lift_rear"], -0.25, places=12)

    def test_half_a_body_is_reported_whole(self):
        balance, flow = weighed([[1.0, 5.0, 0.5], [0, 0, 0]], [[-1.0, 0.3, 0], [1, 0, 0]], half=True)
        found = balance.measure(flow)
        self.assertAlmostEqual(found["drag"], 1.0, places=12)
        self.assertAlmostEqual(found["lift"], 0.5, places=12)
        for name in ("side", "roll", "turn"):
            self.assertEqual(found[name], 0.0, name)
        self.assertAlmostEqual(found["moment"], 2 * 0.5 * 1.0 / 2.0 / 4.0, places=12)

    def test_surfaces_and_the_build_up_add_up(self):
        balance, flow = weighed([[1.0, 0.2, -0.4], [0.6, 0.0, 0.8]], [[0.2, 0, 0], [0.9, 0, 0]],
                                [[0.1, 0, 0], [0.3, 0, 0]])
        whole, each = balance.measure(flow), balance.by_surface(flow)
        for name in ("drag", "lift", "side", "drag_pressure", "drag_friction"):
            self.assertAlmostEqual(sum(one[name] for one in each.values()), whole[name], places=12, msg=name)
        grown = balance.build_up(flow, 0.0, 1.0)
        self.assertEqual(grown["drag"][0], 0.0)
        self.assertAlmostEqual(grown["drag"][-1], whole["drag"], places=12)
        self.assertAlmostEqual(float(np.interp(0.5, grown["x"], grown["drag"])), 0.55, places=12)

    def test_the_load_across_the_span_is_that_of_the_strips(self):
        # Twelve strips of two faces each, of unequal width, whose lift falls with the distance.
        edges = np.linspace(0.0, 1.0, 13)**1.3
        middle, width = 0.5 * (edges[1:] + edges[:-1]), np.diff(edges)
        lift = np.repeat((1.0 - middle) * width / 2, 2)
        place = np.stack([0 * lift, np.repeat(middle, 2), 0 * lift], axis=1)
        balance, flow = weighed(np.stack([0.3 * lift, 0 * lift, lift], axis=1), place)
        flow.mesh.wall_spans = lambda: np.repeat(np.stack([edges[:-1], edges[1:]], axis=1), 2, axis=0)
        found = balance.span_load(flow, 0.0, 1.0)
        y = np.array(found["y"])
        inner = (y > 0.05) & (y < 0.75)
        # Forces over the dynamic pressure, per length, over the reference length of 4.
        np.testing.assert_allclose(np.array(found["lift"])[inner], (1 - y[inner]) / 4.0, rtol=0.05)
        np.testing.assert_allclose(found["drag"], 0.3 * np.array(found["lift"]), rtol=0.03)
        whole = lift.sum() / balance.area
        strip = balance.length / balance.area / len(y)
        self.assertAlmostEqual(sum(found["lift"]) * strip, whole, delta=0.01 * whole)
        # What stands out beyond the ends is not lost, and half a body tells of its half.
        flow.mesh.wall_spans = lambda: np.repeat(
            np.stack([edges[:-1] - 0.01, edges[1:] + 0.01], axis=1), 2, axis=0)
        found = balance.span_load(flow, 0.0, 1.0)
        self.assertAlmostEqual(sum(found["lift"]) * strip, whole, delta=0.02 * whole)
        half, flow = weighed([[1.0, 0.2, -0.4]], [[0.2, 0.5, 0]], half=True)
        flow.mesh.wall_spans = lambda: np.array([[0.0, 1.0]])
        np.testing.assert_allclose(half.span_load(flow, 0.0, 1.0)["lift"], -0.4 / 4.0, rtol=1e-9)

    def test_forces_in_newtons_and_other_units(self):
        air = SimpleNamespace(dynamic_pressure=500.0)
        coefficients = {
            "lift": 0.1, "drag": 0.3, "side": 0.0, "drag_pressure": 0.2, "drag_friction": 0.1, "moment": 0.02
        }
        newton = body_forces(coefficients, air, 2.0, 4.0, "N")
        self.assertAlmostEqual(newton["drag"], 300.0)
        self.assertAlmostEqual(newton["moment"], 80.0)
        self.assertNotIn("lift_front", newton)
        self.assertAlmostEqual(body_forces(coefficients, air, 2.0, 4.0, "kgf")["drag"], 300.0 / 9.80665)
        self.assertAlmostEqual(body_forces(coefficients, air, 2.0, 4.0, "lbf")["drag"], 67.4427, places=3)


class Blocks:
    """A mesh of unit cubes, 4 along each axis, the middle ones filled by a body."""
    def __init__(self, solid=()):
        self.solid = solid
        grid = np.stack(np.meshgrid(*[np.arange(4)] * 3, indexing="ij"), axis=-1).reshape(-1, 3)
        self.centre = grid + 0.5

    def containing(self, points):
        place = np.floor(points).astype(int)
        number = place @ [16, 4, 1]
        outside = ((points < 0) | (points >= 4)).any(axis=1)
        return np.where(outside | np.isin(number, self.solid), -1, number)


def read(solid=()):
    """A sampler of u = M (1 + 0.1 z), the pressure falling with y; all linear, so that cells know it
    exactly."""
    mesh, gradient = Blocks(solid), np.zeros((64, 5, 3))
    state = np.zeros((64, 5))
    state[:, 0] = 0.002 * (2.0 - mesh.centre[:, 1])
    state[:, 1] = 1.0
    state[:, 2] = MACH * (1 + 0.1 * mesh.centre[:, 2])
    gradient[:, 0, 1], gradient[:, 2, 2] = -0.002, 0.1 * MACH
    return SpatialSampler(
        SimpleNamespace(mesh=mesh, grad=gradient, stream=SimpleNamespace(mach=MACH, gamma=1.4)), state)


class Meters(unittest.TestCase):
    def test_a_point_reads_what_is_there(self):
        found = read_point(read(), np.array([1.3, 2.9, 0.4]))
        self.assertAlmostEqual(found["u"], 1.04, places=12)
        self.assertAlmostEqual(found["cp"], -0.0018 / (0.5 * MACH**2), places=12)
        self.assertAlmostEqual(found["mach"], 1.04 * MACH, places=12)
        self.assertIsNone(read_point(read(), np.array([5.0, 1, 1])))

    def test_a_meter_is_the_mean_over_its_rectangle(self):
        found = read_meter(read(), 1.7, (2.0, 2.0), 3.0, 2.0)
        self.assertAlmostEqual(found["speed"], 1.2, places=12)
        self.assertAlmostEqual(found["cp"], 0.0, places=12)
        # Density is 1.4 times the absolute pressure here, and its fall with y is odd about the middle.
        self.assertAlmostEqual(found["mass_flow"], 1.2, places=12)
        self.assertEqual(found["covered"], 1.0)
        # At this speed compression adds a quarter of the Mach number squared to the total pressure.
        self.assertAlmostEqual(found["total_pressure"], 1.2**2 * (1 + 0.25 * (1.2 * MACH)**2), delta=0.01)

    def test_what_the_body_hides_is_left_out_and_said(self):
        whole, half = read_meter(read(), 1.5, (1.0, 1.0), 2.0,
                                 2.0), read_meter(read(solid=[16, 20]), 1.5, (1.0, 1.0), 2.0, 2.0)
        self.assertAlmostEqual(half["covered"], 0.5)
        # The lower half is hidden: the mean speed is that of the upper one, the mass flow only what passes
        # there.
        self.assertAlmostEqual(half["speed"], 1.15, places=12)
        # The mean pressure there is 0.002 above ambient.
        self.assertAlmostEqual(half["mass_flow"], 0.5 * 1.15 * (1 + 1.4 * 0.002), places=12)
        self.assertGreater(whole["mass_flow"], half["mass_flow"])
        self.assertIsNone(read_meter(read(), 9.0, (1.0, 1.0), 1.0, 1.0))


class Shadows(unittest.TestCase):
    def test_overlapping_parts_are_counted_once(self):
        near, far = box(1, 1, 1).corners, box(1, 1, 1).corners + [3.0, 0.5, 0.25]
        self.assertAlmostEqual(frontal_area(np.concatenate([near, far])).area, 2 - 0.5 * 0.75, delta=1e-3)
        self.assertAlmostEqual(frontal_area(np.concatenate([near, far + [0, 5.0, 0]])).area, 2.0, delta=1e-3)

    def test_an_ellipsoid_from_every_side(self):
        corners = ellipsoid(3.0, 2.0, 1.0).corners
        for direction, expected in (([1, 0, 0], 0.5), ([0, 1, 0], 0.75), ([0, 0, 1], 1.5)):
            # Flat triangles lie a little inside the curved surface.
            self.assertAlmostEqual(
                frontal_area(corners, direction).area / (expected * np.pi), 1.0, delta=0.004)

    def test_outlines_enclose_the_shadow_and_know_holes(self):
        def enclosed(loops):
            return abs(
                sum(0.5 * (loop[:-1, 0] * loop[1:, 1] - loop[1:, 0] * loop[:-1, 1]).sum() for loop in loops))

        self.assertAlmostEqual(enclosed(silhouette(ellipsoid(3.0, 2.0, 1.0).corners, "front")), 0.5 * np.pi,
                               delta=0.01)
        bars = np.concatenate([box(3, 1, 1).corners + [0, 0, dz] for dz in (0.0, 2.0)] +
                              [box(1, 1, 3).corners + [dx, 0, 0] for dx in (0.0, 2.0)])
        loops = silhouette(bars)
        self.assertEqual(len(loops), 2)
        self.assertAlmostEqual(enclosed(loops), 9.0 - 1.0, delta=0.05)

    def test_a_box_has_twelve_edges(self):
        lines = edges(box(2, 1, 1), "side")
        self.assertAlmostEqual(np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1).sum(), 4 * 2 + 4 * 1)
