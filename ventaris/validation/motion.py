"""Cases of sections that move and of gusts, against thin-section theory, and one with shocks."""
import numpy as np
from scipy.integrate import quad
from scipy.special import hankel2, kv

from ..core.study.cycles import ahead_of, within_half_turn
from .case import Case, Check, run_sheet

THIN = {"kind": "four-digit", "thickness": 0.02}
MACH = 0.05
# Below this the moment about the quarter chord is a thousandth, and what theory leaves out is as large.
LEAST_FOR_MOMENT = 0.5
SOURCE = "Theodorsen, NACA Report 496, 1935"


def lag(k):
    """Theodorsen's function of the reduced frequency."""
    return hankel2(1, k) / (hankel2(1, k) + 1j * hankel2(0, k))


def lift_of_pitching(k):
    """Lift coefficient per radian of pitching about the quarter chord, complex: ahead is positive."""
    return np.pi * (1j * k - 0.5 * k * k) + 2 * np.pi * lag(k) * (1 + 1j * k)


def lift_of_heaving(k):
    """Lift coefficient per chord of heaving up, complex."""
    return -2 * (-np.pi * k * k + 2 * np.pi * lag(k) * 1j * k)


def moment_of_pitching(k):
    """Moment coefficient about the quarter chord, nose up, per radian of pitching about it, complex.

    From Theodorsen's moment: what is left at the quarter chord is apparent mass.
    """
    return 0.5 * np.pi * (-1j * k + 0.375 * k * k)


def _followed(motion):
    return run_sheet(air={"motion": "mach", "mach": MACH, "motions":
                          [motion]}, shape=THIN, grid={"level": "medium"}, flow={"time": "unsteady"},
                     run={"cycle_steps": 64, "cycles": 6, "frames": 0})


def swing_checks(cycle, name, exact, words):
    """Checks of a channel's first harmonic against a complex amplitude: its size, and degrees ahead."""
    found = cycle["channels"][name]
    turn = within_half_turn(ahead_of(cycle, name) - np.degrees(np.angle(exact)))
    return [
        Check(f"{words}, amplitude over theory", found["harmonic"] / abs(exact), 0.97, 1.03, SOURCE),
        Check(f"{words}, degrees ahead of theory", turn, -2.0, 2.0, SOURCE)
    ]


def _motion_case(key, title, does, size, frequencies, theory):
    checks, curves, seconds, cells = [], [], 0.0, 0
    for k in frequencies:
        name = "angle" if does == "pitch" else "travel"
        run = _followed({"does": does, name: size, "reduced": k})
        cycle, scale = run.result["unsteady"]["cycle"], np.radians(size) if does == "pitch" else size
        checks += swing_checks(cycle, "lift", theory(k) * scale, f"lift at k = {k:g}")
        if does == "pitch" and k >= LEAST_FOR_MOMENT:
            checks += swing_checks(cycle, "moment", moment_of_pitching(k) * scale, f"moment at k = {k:g}")
        last = run.history[-cycle["steps"]:]
        over = [h["angle" if does == "pitch" else "height"] for h in last]
        wave = np.exp(1j * np.linspace(0, 2 * np.pi, 97))
        curves += [(f"computed, k {k:g}", np.array(over), np.array([h["lift"] for h in last]), "computed"),
                   (f"theory, k {k:g}", size * wave.imag, (theory(k) * scale * wave).imag, "reference")]
        seconds, cells = seconds + run.result["seconds"], run.result["cells"]
    return Case(key, title, f"{cells} cells, 64 steps per cycle, until two cycles are alike; first harmonics",
                checks, seconds, curves,
                axes=("angle, degrees" if does == "pitch" else "heave, chords", "CL"))


def pitching():
    """A thin section that pitches about its quarter chord, slow and quick."""
    return _motion_case("motion-pitch",
                        "Thin section pitching ± 1° about the quarter chord, inviscid, M 0.05", "pitch", 1.0,
                        (0.1, 0.5, 1.0), lift_of_pitching)


def heaving():
    """A thin section that heaves."""
    return _motion_case("motion-heave", "Thin section heaving ± 0.01 chords, inviscid, M 0.05", "heave", 0.01,
                        (0.1, 0.5, 1.0), lift_of_heaving)


def wagner(s):
    """Growth of the lift after a step of incidence, over its final value, `s` in half chords travelled
    (R. T. Jones, NACA Report 681, 1940: within 1 %)."""
    return 1 - 0.165 * np.exp(-0.0455 * s) - 0.335 * np.exp(-0.3 * s)


def kuessner(s):
    """The same for a sharp-edged gust that has travelled `s` half chords from the nose, from Wagner's
    function and the apparent mass."""
    reach = min(s, 2.0)
    # Weight sqrt(x / (2 - x)) of the downwash, with x = 2 sin^2(a) to take its singular end away.
    part = quad(lambda a: wagner(s - 2 * np.sin(a)**2) * 4 * np.sin(a)**2, 0,
                np.arcsin(np.sqrt(reach / 2)))[0]
    return (part + (np.sqrt(s * (2 - s)) if s < 2 else 0.0)) / np.pi


def gust():
    """A sharp-edged gust that runs over a thin section."""
    up = 0.02
    run = run_sheet(
        air={"motion": "mach", "mach": 0.1, "motions": [{"does": "edge", "gust": up, "front":
                                                         -0.5}]}, shape=THIN, grid={"level": "medium"},
        flow={"time": "unsteady"}, run={"duration": 8, "time_step": 0.025, "frames": 0})
    seen = [h for h in run.history if "time" in h and h["level"] == run.history[-1]["level"]]
    time, lift = (np.array([h[name] for h in seen]) for name in ("time", "lift"))
    travelled, share = 2 * (time - 0.5), lift / (2 * np.pi * up)
    checks = [
        Check(f"lift {s:g} half chords after the gust has reached the nose, over theory",
              float(np.interp(s, travelled, share) / kuessner(s)), 0.95, 1.05,
              "Küssner, Luftfahrtforschung 13, 1936") for s in (0.5, 1, 2, 4, 8, 14)
    ]
    after = np.linspace(0, 15, 151)
    return Case("motion-gust", "Sharp-edged gust of 0.02 U over a thin section, inviscid, M 0.1",
                f"{run.result['cells']} cells, 320 steps of 0.025 chords", checks, run.result["seconds"],
                [("computed", travelled, share, "computed"),
                 ("theory", after, np.array([kuessner(s) for s in after]), "reference")],
                axes=("half chords travelled from the nose", "lift over 2π w / U"))


def oscillating_torque(turning, reynolds):
    """Complex amplitude of the torque on a circle that turns to and fro in air at rest, over that of its
    speed.

    Lamb: Hydrodynamics, 6th ed., 1932, art. 345 (Stokes' layer on a plane) with the functions of a circle.
    Diameter, density and speed are one.
    """
    inner, radius = np.sqrt(1j * turning * reynolds), 0.5
    first, zeroth = kv(1, inner * radius), kv(0, inner * radius)
    slope = inner * (-zeroth - first / (inner * radius)) / first
    return 2 * np.pi * radius**2 / reynolds * (slope - 1 / radius)


def turning_wall():
    """A circle whose wall slides to and fro."""
    reduced, reynolds, ratio, steps = 20.0, 50.0, 4.0, 72
    period, speed = np.pi / reduced, 0.02 * 340.29
    run = run_sheet(
        air={"motion": "mach", "mach": 0.02, "viscosity_law": "from Reynolds number", "reynolds": reynolds,
             "walls": [{"surface": "body", "action": "move", "varies": "sine", "swing": ratio * speed,
                        "reduced": reduced}]},
        shape={"kind": "ellipse", "thickness": 1.0}, grid={"level": "fine", "layers": 40},
        flow={"model": "laminar", "time": "unsteady"}, domain={"far_field": 30},
        instruments={"moment_x": 0.5, "moment_y": 0.0},
        run={"duration": 4 * period, "time_step": period / steps, "frames": 0, "disturbance": 0})
    last = [h for h in run.history if "time" in h][-steps:]
    turn = np.exp(-2j * np.pi * np.arange(1, steps + 1) / steps)
    # Positive moments are nose up, clockwise; walls slide counter-clockwise.
    moment, slide = (2 * np.mean([h[name] for h in last] * turn) for name in ("moment", "speed_body"))
    exact = -2 * oscillating_torque(2 * reduced, reynolds)
    found = moment / (slide / speed)
    checks = [
        Check("amplitude of the torque over the exact one", abs(found) / abs(exact), 0.97, 1.03,
              "Stokes' layer round a circle, by Bessel functions"),
        Check("torque, degrees ahead of the exact one", float(np.degrees(np.angle(found / exact))), -2, 2,
              "Stokes' layer round a circle, by Bessel functions")
    ]
    shown = np.exp(2j * np.pi * np.linspace(0, 1, 73))
    return Case("motion-wall", "Circle whose wall slides to and fro, laminar, k 20, M 0.02",
                f"{run.result['cells']} cells, {steps} steps per period, wall at ± {ratio:g} U", checks,
                run.result["seconds"],
                [("computed", 360 * np.arange(1, steps + 1) / steps, np.array([h["moment"] for h in last]),
                  "computed"),
                 ("exact", np.linspace(0, 360, 73), (exact * slide / speed * shown).real, "reference")],
                axes=("phase of the wall's speed, °", "moment coefficient"))


def transonic():
    """Shocks that come and go on a pitching section."""
    run = run_sheet(
        air={
            "motion": "mach", "mach": 0.755, "incidence": 0.016, "motions":
            [{"does": "pitch", "angle": 2.51, "reduced": 0.0814}]
        }, shape={"kind": "four-digit", "thickness": 0.12}, flow={"time": "unsteady"},
        run={"frames": 0, "cycle_steps": 96})
    cycle = run.result["unsteady"]["cycle"]
    found = cycle["channels"]["lift"]
    linear = abs(lift_of_pitching(0.0814)) * np.radians(2.51) / np.sqrt(1 - 0.755**2)
    checks = [
        Check("last two cycles alike within", max(cycle["changes"].values()), 0, 0.005, "asked for"),
        Check("lift, degrees ahead of the angle", ahead_of(cycle, "lift"), -30, 0,
              "the lift lags (sense of the loop in AGARD R-702, case 5)"),
        Check("amplitude of the lift over that of linear theory", found["harmonic"] / linear, 0.85, 1.15,
              "Theodorsen with the Prandtl-Glauert factor: shocks are not in it, so no more than a frame")
    ]
    last = run.history[-cycle["steps"]:]
    return Case("motion-transonic",
                "NACA 0012 pitching 0.016° ± 2.51° at M 0.755, k 0.0814 (AGARD R-702, case 5)",
                f"{run.result['cells']} cells, inviscid, 96 steps per cycle", checks, run.result["seconds"],
                [("computed", np.array([h["angle"] + 0.016
                                        for h in last]), np.array([h["lift"] for h in last]), "computed")],
                axes=("incidence, degrees", "CL"))


CASES = {
    "motion-pitch": pitching, "motion-heave": heaving, "motion-gust": gust, "motion-wall": turning_wall,
    "motion-transonic": transonic
}
