"""Cases of wings with wall layers, against a vortex lattice."""
import numpy as np

from ..core.shapes.build import build
from ..core.sheet.model import Shape
from .case import Case, Check, naca0012, run_sheet, trends_of
from .panel import solve_section

# Panels along the chord and the half span.
ALONG, ACROSS = 8, 50
# At the tip's edge a real wing carries a vortex on its upper side that a lattice does not have.
WITHOUT_TIP = 0.95


def lattice(aspect_ratio, incidence, height=np.inf):
    """Lift and induced drag of a thin rectangular wing of chord 1, incompressible: (CL, CDi); and what it
    lifts per length across the half span, over the mean: (y, load). At a height over a ground its mirror
    image takes part.

    Horseshoe vortices on the quarter lines of panels that are narrow at the tip, the induced drag from their
    wake far behind (Katz, Plotkin: Low-Speed Aerodynamics, 2001, chapter 12).
    """
    angle = np.linspace(0, np.pi / 2, ACROSS + 1)
    edge = 0.5 * aspect_ratio * np.sin(angle)
    middle = 0.5 * aspect_ratio * np.sin(0.5 * (angle[1:] + angle[:-1]))
    chord = np.arange(ALONG)[:, None]
    bound, asked = (np.broadcast_to((chord + share) / ALONG, (ALONG, ACROSS)).ravel()
                    for share in (0.25, 0.75))
    inner, outer, at = (np.tile(y, ALONG) for y in (edge[:-1], edge[1:], middle))

    def wash(one, two, above=0.0):
        """Upwash at the asked points, so far above, of unit horseshoes between two places along the span."""
        x = asked[:, None] - bound[None]
        y1, y2 = at[:, None] - one[None], at[:, None] - two[None]
        d1, d2 = np.sqrt(x**2 + y1**2 + above**2), np.sqrt(x**2 + y2**2 + above**2)
        return ((y2 / d2 - y1 / d1) * x / (x**2 + above**2) + (1 + x / d2) * y2 / (y2**2 + above**2) -
                (1 + x / d1) * y1 / (y1**2 + above**2)) / (4 * np.pi)

    whole = wash(inner, outer) + wash(-outer, -inner)
    if np.isfinite(height):
        # The image turns the other way.
        whole -= wash(inner, outer, 2 * height) + wash(-outer, -inner, 2 * height)
    strength = np.linalg.solve(whole, np.full(ALONG * ACROSS, -np.sin(np.radians(incidence))))
    total, width = np.abs(strength.reshape(ALONG, ACROSS).sum(axis=0)), np.diff(edge)
    lift = 4 * float(total @ width) / aspect_ratio
    y = middle[:, None]

    def far_down(above=0.0):
        """Downwash far behind of the trailing legs of both halves, seen from so far above."""
        leg = lambda way: way / (way**2 + above**2)
        return (total / (2 * np.pi) * (leg(y - edge[:-1]) - leg(y - edge[1:]) + leg(y + edge[1:]) -
                                       leg(y + edge[:-1]))).sum(axis=1)

    down = far_down() - (far_down(2 * height) if np.isfinite(height) else 0.0)
    load = total * 0.5 * aspect_ratio / float(total @ width)
    return lift, 2 * float(total * np.abs(down) @ width) / aspect_ratio, (middle, load)


def expected(aspect_ratio, incidence, slope, mach, height=np.inf):
    """Lift and induced drag of the wing whose section has a lift slope (per radian, incompressible)."""
    lift, drag, _ = lattice(aspect_ratio, incidence, height)
    angle = np.radians(incidence)
    # The lattice's section has 2 pi: by the lifting line what sections add to 1/slope adds up.
    inverse = angle / lift + 1 / slope - 1 / (2 * np.pi)
    # Prandtl and Glauert: as a wing of aspect ratio beta A whose section has the same slope.
    beta = np.sqrt(1 - mach**2)
    found = angle / inverse
    found *= 1 + (1 / beta - 1) * inverse**-1 / slope
    return found, drag * (found / lift)**2


def slope_of_section():
    """Lift slope per radian of the NACA 0012 without friction, by the panel method."""
    section, angle = build(Shape.model_validate(naca0012())).section, np.radians(4.0)
    return solve_section(section.at(section.stations(322)), angle)[0] / np.sin(angle)


def _wing(aspect_ratio):
    return {
        "parts": [{"name": "wing", "kind": "wing", "span": aspect_ratio, "chord": 1.0, "thickness": 0.12}]
    }


def wing_slip():
    """A wing of aspect ratio 7 without friction."""
    run = run_sheet(space="body", shape=_wing(7.0), air={"motion": "mach", "mach": 0.15, "incidence": 4.0},
                    flow={"model": "inviscid"}, domain={"half": "yes", "ahead": 2, "behind": 3, "beside": 2},
                    grid={"level": "fine", "budget": 60_000})
    lift, drag = expected(7.0, 4.0, slope_of_section(), 0.15)
    found, trends = run.result["coefficients"], run.result["trends"]
    y, load = (np.array(run.result["span_load"][name]) for name in ("y", "lift"))
    inner = y < WITHOUT_TIP * 3.5
    apart = load[inner] / load.mean() - np.interp(y[inner], *lattice(7.0, 4.0)[2])
    return Case(
        "body-wing-slip", "Rectangular wing of aspect ratio 7 without friction, 4°",
        f"NACA 0012, Mach 0.15, wall layers, {run.result['cells']} cells; lattice {lift:.4f} and {drag:.5f}",
        [
            Check("lift over the lattice with the section's slope", found["lift"] / lift, 0.98, 1.02,
                  "own vortex lattice"),
            Check("drag over the lattice's induced drag", found["drag"] / drag, 0.96, 1.04,
                  "own vortex lattice", "false drag of some four counts, see docs/theory-bodies.md"),
            Check("induced drag as told behind the wing, over the lattice's", found["drag_induced"] / drag,
                  0.96, 1.04, "own vortex lattice"),
            Check("load across the span over its mean, r.m.s. difference from the lattice, inner 95 %",
                  float(np.sqrt((apart**2).mean())), 0, 0.02, "own vortex lattice"),
            Check("lattice within the error bar of the lift",
                  abs(found["lift"] - lift) / trends["lift"]["error"], 0, 1, "exact: 0 to 1"),
            Check("induced drag within the error bar of the drag",
                  abs(found["drag"] - drag) / trends["drag"]["error"], 0, 1, "exact: 0 to 1")
        ])


def wing_turbulent():
    """A turbulent wing of aspect ratio 6 at Reynolds number 3 million."""
    run = run_sheet(
        space="body", shape=_wing(6.0), air={
            "motion": "mach", "mach": 0.15, "incidence": 4.0, "viscosity_law": "from Reynolds number",
            "reynolds": 3e6
        }, flow={"model": "turbulent", "closure": "spalart-allmaras"},
        domain={"half": "yes", "ahead": 2, "behind": 3, "beside": 2},
        grid={"level": "fine", "budget": 60_000})
    # Slope and drag of the section at this Reynolds number: as the lattice's reference in the plane.
    lift, induced = expected(6.0, 4.0, 0.109 * 180 / np.pi, 0.15)
    found, bar = run.result["coefficients"], run.result["trends"]["drag"]["error"]
    return Case(
        "body-wing-turbulent", "Rectangular wing of aspect ratio 6, turbulent, Re 3e6, 4°",
        f"NACA 0012, Mach 0.15, wall layers at y+ 40, Spalart-Allmaras, {run.result['cells']} cells; "
        f"lattice {lift:.4f}, profile and induced drag {0.0090 + induced:.4f}", [
            Check("lift over the lattice with the tunnel's slope of the section (0.109 per degree)",
                  found["lift"] / lift, 0.97, 1.03, "lattice; slope: Abbott, von Doenhoff, 1959"),
            Check("drag over profile drag (0.0090, tripped) and induced drag", found["drag"] /
                  (0.0090 + induced), 0.95, 1.05, "Ladson, NASA TM 4074, 1988; lattice",
                  "false drag of some eight counts, see docs/theory-bodies.md"),
            Check("induced drag as told behind the wing, over the lattice's", found["drag_induced"] / induced,
                  0.96, 1.04, "own vortex lattice"),
            Check("that drag within the error bar",
                  abs(found["drag"] - 0.0090 - induced) / bar, 0, 1, "exact: 0 to 1"),
            Check("first cells at y+ on average", run.result["y_plus"]["mean"], 30, 60, "asked for: 40")
        ])


def wing_ground():
    """What a ground adds to the lift of a wing of aspect ratio 4."""
    wing = {"name": "wing", "kind": "wing", "span": 4.0, "chord": 1.0, "thickness": 0.12, "incidence": 4.0}
    lifts, words, trends = {}, [], {}
    for kind, clearance in (("free", {}), ("ground", {"clearance": 1.0, "ground": "moving"})):
        run = run_sheet(space="body", shape={"parts": [wing]}, air={"motion": "mach", "mach": 0.15},
                        flow={"model": "inviscid"}, grid={"level": "fine", "budget": 40_000},
                        domain={
                            "kind": kind, "half": "yes", "ahead": 3, "behind": 4, "beside": 3, **clearance
                        })
        lifts[kind] = run.result["coefficients"]["lift"]
        trends[f"lift, {kind}"] = trends_of(run.result)["lift"]
        words.append(f"{kind}: {run.result['cells']} cells, lift {lifts[kind]:.4f}")
    # The lowest point is the tail's.
    height = 1.0 + 0.75 * np.sin(np.radians(4.0))
    slope = slope_of_section()
    lattices = [expected(4.0, 4.0, slope, 0.15, h)[0] for h in (np.inf, height)]
    values = trends["lift, ground"].values
    return Case(
        "body-wing-ground", "Rectangular wing of aspect ratio 4 a chord above a moving ground, 4°",
        f"NACA 0012, no friction, Mach 0.15, wall layers. {'; '.join(words)}; "
        f"lattice {lattices[0]:.4f} and {lattices[1]:.4f}", [
            Check("lift over the ground over that in free air, over the lattice's", lifts["ground"] /
                  lifts["free"] / (lattices[1] / lattices[0]), 0.98, 1.02,
                  "own vortex lattice with its mirror image"),
            Check("lift in free air over the lattice's with the section's slope", lifts["free"] / lattices[0],
                  0.96, 1.04, "own vortex lattice, without the vortices on the tips' upper sides"),
            Check("medium over fine level", values[1] / values[2], 0.97, 1.03, "levels agree")
        ], trends=trends)


CASES = {
    "body-wing-slip": wing_slip, "body-wing-turbulent": wing_turbulent, "body-wing-ground": wing_ground
}
