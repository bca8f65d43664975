"""Cross-sections of a nozzle and its jet: averages, forces, shocks on lines along the stream."""
from dataclasses import dataclass

import numpy as np
from scipy.signal import find_peaks

from ..gas import isentropic_pressure_ratio, mach_from_pressure
from .balance import channel_name

# A peak of the axis pressure counts as the end of a shock cell from this share of the surrounding pressure
# on.
LEAST_PEAK = 0.04
# A normal shock on the axis of a jet counts as its Mach disc from this Mach number ahead of it.
DISC_FROM = 1.6
# Means over a cross-section: what a bare name stands for, and the other one.
AVERAGES = {
    "mach": ("mass", "area"), "p": ("area", "mass"), "p_total": ("mass", "area"), "t": ("mass", "area"),
    "t_total": ("mass", "area")
}


class Sections:
    """The lines of a lattice mesh as cross-sections and as lines along the stream.

    Parameters
    ----------
    mesh : Mesh with a "lattice" layout
    """
    def __init__(self, mesh):
        layout = mesh.layout
        self.mesh, self.order = mesh, layout["order"]
        self.at_exit, self.at_wall = layout["at_exit"], layout["at_wall"]
        ni, nj = self.order.shape
        place = np.full((mesh.n_cells, 2), -1)
        i, j = np.nonzero(self.order >= 0)
        place[self.order[i, j]] = np.stack([i, j], axis=1)
        self.faces = np.full((ni + 1, nj), -1, dtype=np.int64)
        self.sign = np.ones((ni + 1, nj))
        inner = np.arange(mesh.n_interior)
        left, right = place[mesh.left[inner]], place[mesh.right[inner]]
        along = left[:, 1] == right[:, 1]
        upper = np.where(left[:, 0] < right[:, 0], right[:, 0], left[:, 0])
        self.faces[upper[along], left[along, 1]] = inner[along]
        self.sign[upper[along], left[along, 1]] = np.where(left[along, 0] < right[along, 0], 1.0, -1.0)
        for name, index, sign in (("inlet", 0, -1.0), ("outlet", ni, 1.0), ("downstream", ni, 1.0),
                                  ("plate", ni, 1.0)):
            faces = mesh.boundaries.get(name, np.empty(0, dtype=np.int64))
            rows = place[mesh.left[faces], 1]
            self.faces[index, rows], self.sign[index, rows] = faces, sign
        last = self.at_exit if ni == self.at_exit else ni
        self.x = np.array([mesh.face_centre[self.faces[k, 0], 0] for k in range(last + 1)])

    def line(self, flow, state, index):
        """Averages over the cross-section of a grid line, in the solver's scales and per radian or unit
        depth."""
        mesh, g = self.mesh, flow.stream.gamma
        faces, sign = self.faces[index, :self.at_wall], self.sign[index, :self.at_wall]
        left = mesh.left[faces]
        right = np.where(mesh.right[faces] >= 0, mesh.right[faces], left)
        mean = 0.5 * (state[left] + state[right])
        flux = sign[:, None] * flow.flux[faces]
        area, mass = mesh.area[faces], sign * flow.flux[faces, 0]
        mach2 = (mean[:, 2]**2 + mean[:, 3]**2) / mean[:, 1]
        absolute = mean[:, 0] + 1 / g
        rise = 1 + 0.5 * (g - 1) * mach2
        total = absolute * rise**(g / (g - 1))
        weight = mass / mass.sum() if abs(mass.sum()) > 1e-12 else area / area.sum()
        share = area / area.sum()
        values = {
            "mach": np.sqrt(mach2), "p": absolute, "p_total": total, "t": mean[:, 1],
            "t_total": mean[:, 1] * rise
        }
        return {
            "mass": float(mass.sum()), "push": float(flux[:, 2].sum()), "area": float(area.sum()),
            "back_flow": float(share[mass < 0].sum()), "least_p_total": float(total.min()),
            **{f"{name}_mass": float(weight @ v)
               for name, v in values.items()},
            **{f"{name}_area": float(share @ v)
               for name, v in values.items()}
        }

    def at(self, flow, state, x):
        """The same at a station between two lines, linearly between both."""
        k = int(np.clip(np.searchsorted(self.x, x), 1, len(self.x) - 1))
        share = float(np.clip((x - self.x[k - 1]) / (self.x[k] - self.x[k - 1]), 0, 1))
        low, high = self.line(flow, state, k - 1), self.line(flow, state, k)
        return {name: (1 - share) * low[name] + share * high[name] for name in low}

    def along(self, row):
        """Cells along the stream on one row of the lattice, inlet first."""
        cells = self.order[:, row]
        return cells[cells >= 0]


@dataclass(frozen=True)
class NozzleBalance:
    """Mass flow, thrust and averages of a nozzle, in SI.

    Attributes
    ----------
    setup : NozzleSetup
    """

    setup: object

    def sections(self, flow):
        """The `Sections` of a flow's mesh, made once."""
        if "sections" not in flow.mesh.layout:
            flow.mesh.layout["sections"] = Sections(flow.mesh)
        return flow.mesh.layout["sections"]

    def measure(self, flow, state):
        """Channels from the last residual of `state`.

        Returns
        -------
        dict
            ``mass_flow, mass_flow_out`` (kg/s), ``thrust`` (N), ``discharge`` and ``thrust_coefficient``,
            averages of inlet and exit, ``exit_back_flow`` (share of the exit's area through which air comes
            in), ``exit_p_total_least`` (Pa), the mass flow of every port (positive into the nozzle), averages
            of the stations, the force and shear on a plate, and ``axis_speed`` (m/s), on the axis half-way
            down the air behind the exit.
        """
        setup, air = self.setup, self.setup.air
        found = self.sections(flow)
        inlet, exit_ = found.line(flow, state, 0), found.line(flow, state, found.at_exit)
        unit = setup.whole * setup.scale**2 * air.density * air.speed_of_sound
        force = unit * air.speed_of_sound
        throat = float(setup.area(setup.contour.throat[1]))
        ports = {
            p.name: -unit * flow.flux[flow.mesh.boundaries[p.name], 0].sum()
            for p in setup.sheet.shape.ports
        }
        flow_in = unit * inlet["mass"]
        thrust = force * exit_["push"] + (
            air.pressure - setup.outside_pressure) * exit_["area"] * setup.whole * setup.scale**2
        supply = inlet["p_total_mass"] * air.pressure * air.gamma
        out = {
            "mass_flow": flow_in, "mass_flow_out": unit * exit_["mass"], "thrust": thrust,
            "discharge": flow_in / self._ideal_flow(supply, inlet["t_total_mass"] * air.temperature, throat),
            "thrust_coefficient": thrust / (supply * throat), **self._averages("inlet", inlet),
            **self._averages("exit", exit_)
        }
        out["pressure_ratio"] = out["exit_p_total"] / out["inlet_p_total"]
        out |= {
            "exit_back_flow": exit_["back_flow"],
            "exit_p_total_least": exit_["least_p_total"] * air.pressure * air.gamma
        }
        out |= {channel_name(f"mass_flow_{name}"): value for name, value in ports.items()}
        for station in setup.sheet.instruments.stations:
            reading = found.at(flow, state, setup.station_at(station) / setup.scale)
            name = channel_name(station.name)
            out |= {f"{name}_mass_flow": unit * reading["mass"], **self._averages(name, reading)}
        if "plate" in flow.mesh.boundaries:
            out |= self._plate(flow)
        elif setup.has_jet:
            cells = found.along(0)
            half = cells[np.argmin(
                np.abs(flow.mesh.centre[cells, 0] - setup.contour.length / setup.scale -
                       0.5 * setup.plan.reach))]
            out["axis_speed"] = np.hypot(state[half, 2], state[half, 3]) * air.speed_of_sound
        return {name: float(value) for name, value in out.items()}

    def _ideal_flow(self, supply, warmth, throat):
        """Loss-free mass flow through the throat against the back pressure."""
        theory, air = self.setup.theory, self.setup.air
        g = air.gamma
        choked = throat * supply * np.sqrt(g / (air.gas_constant * max(warmth, 1.0))) * (2 /
                                                                                         (g + 1))**(0.5 *
                                                                                                    (g + 1) /
                                                                                                    (g - 1))
        return choked * (theory.mass_flow if theory else 1.0)

    def _averages(self, name, reading):
        """Every mean over a cross-section, SI: under the bare name that of custom (pressure by area, the rest
        by mass flow), then the other one."""
        air = self.setup.air
        pressure = air.pressure * air.gamma
        unit = {
            "mach": 1.0, "p": pressure, "p_total": pressure, "t": air.temperature, "t_total": air.temperature
        }
        out = {}
        for what, (bare, other) in AVERAGES.items():
            out[f"{name}_{what}"] = reading[f"{what}_{bare}"] * unit[what]
            out[f"{name}_{what}_{other}"] = reading[f"{what}_{other}"] * unit[what]
        return out

    def _plate(self, flow):
        setup, air, mesh = self.setup, self.setup.air, flow.mesh
        pressure, friction = flow.wall_loads()
        mine = np.isin(flow.wall, mesh.boundaries["plate"])
        unit = setup.whole * setup.scale**2 * air.density * air.speed_of_sound**2
        area = mesh.area[flow.wall[mine]]
        # The pressure in the loads is above the reference, which may differ from the ambient's.
        push = pressure[mine, 0].sum() * unit + (
            air.pressure - air.ambient_pressure) * area.sum() * setup.whole * setup.scale**2
        stress = friction[mine, 1] / area * air.density * air.speed_of_sound**2
        return {
            "plate_force": push, "plate_shear": np.abs(friction[mine, 1]).sum() * unit,
            "plate_peak_shear": np.abs(stress).max()
        }


def read_rows(flow, state, setup):
    """Curves along the axis, the walls and a plate.

    Returns
    -------
    dict of str to dict of ndarray
        Row name → columns, in SI: ``s`` (x, or the radius on a plate), ``pressure, mach, temperature, speed,
        shear, y_plus, heat``; `mach` on a wall is the isentropic one of the supply's total pressure in
        viscous flow.
    """
    mesh, air = flow.mesh, setup.air
    g, pressure = air.gamma, air.pressure * air.gamma
    sections = NozzleBalance(setup).sections(flow)
    cells = sections.along(0)
    mach = np.sqrt((state[cells, 2]**2 + state[cells, 3]**2) / state[cells, 1])
    out = {
        "axis": {
            "s": mesh.centre[cells, 0] * setup.scale, "pressure": (state[cells, 0] + 1 / g) * pressure,
            "mach": mach, "temperature": state[cells, 1] * air.temperature,
            "speed": mach * np.sqrt(state[cells, 1]) * air.speed_of_sound
        }
    }
    loads, friction = flow.wall_loads()
    stress_unit = air.density * air.speed_of_sound**2
    for name in mesh.walls:
        faces = mesh.boundaries[name]
        local = np.searchsorted(flow.wall, faces) if np.all(
            np.diff(flow.wall) > 0) else np.array([np.nonzero(flow.wall == f)[0][0] for f in faces])
        coordinate = 1 if name in ("plate", "lip") else 0
        order = np.argsort(mesh.face_centre[faces, coordinate])
        faces, local = faces[order], local[order]
        cell = mesh.left[faces]
        absolute = np.maximum(flow.wall_pressure[faces - mesh.n_interior] + 1 / g, 1e-9)
        mach2 = (state[cell, 2]**2 + state[cell, 3]**2) / state[cell, 1]
        total = (state[cell, 0] + 1 / g) * isentropic_pressure_ratio(np.sqrt(mach2), g)
        if flow.stream.reynolds is not None:
            total = air.supply_pressure / pressure
        tangent = np.stack([-mesh.normal[faces, 1], mesh.normal[faces, 0]], axis=1)
        shear = (friction[local] * tangent).sum(axis=1) / mesh.area[faces] * stress_unit
        # Positive downstream, and outward on a plate.
        shear = shear * np.where(tangent[:, coordinate] < 0, -1.0, 1.0)
        # Where the wall's pressure comes out above the total one (at the inlet's edge), the speed is that of
        # the cell beside it.
        mach = np.where(absolute < total * (1 - 1e-9), mach_from_pressure(np.minimum(absolute / total, 1.0),
                                                                          g), np.sqrt(mach2))
        out[name] = {
            "s": mesh.face_centre[faces, coordinate] * setup.scale, "pressure": absolute * pressure,
            "mach": mach, "temperature": state[cell, 1] * air.temperature, "shear": shear
        }
        if flow.closure is not None:
            rho = g * (state[cell, 0] + 1 / g) / state[cell, 1]
            out[name]["y_plus"] = np.sqrt(
                rho * np.abs(shear) / stress_unit) * flow.distance[cell] / flow.molecular[cell]
    return out


def find_nozzle_shocks(flow, state, setup):
    """Where a shock stands inside the nozzle: {"axis", "wall", "mean", "mach_ahead"} with stations in metres,
    or None.

    The mean is over the cross-section, by area.
    """
    sections, mesh = NozzleBalance(setup).sections(flow), flow.mesh
    places, weights, strongest = [], [], 0.0
    for row in range(sections.at_wall):
        cells = sections.along(row)[:sections.at_exit]
        mach = np.sqrt((state[cells, 2]**2 + state[cells, 3]**2) / state[cells, 1])
        place, ahead = shock_on_line(mesh.centre[cells, 0], state[cells, 0], mach)
        places.append(place)
        weights.append(mesh.area[sections.faces[sections.at_exit, row]])
        strongest = max(strongest, ahead)
    found = np.array([p is not None for p in places])
    if not found.any() or found.mean() < 0.5:
        return None
    x = np.array([np.nan if p is None else p for p in places]) * setup.scale
    weights = np.array(weights)
    wall = found[-1] and flow.stream.reynolds is None
    return {
        "axis": float(x[0]) if found[0] else None, "wall": float(x[-1]) if wall else None,
        "mean": float(x[found] @ weights[found] / weights[found].sum()), "mach_ahead": float(strongest)
    }


def shock_on_line(x, pressure, mach, first=False, least=1.03):
    """(station, Mach number ahead) of the last (or first) drop through Mach 1 that a pressure rise goes with;
    (None, 0) without one.

    `least` is the Mach number that the air ahead of it must have.
    """
    falls = np.nonzero((mach[:-1] > 1.0) & (mach[1:] <= 1.0))[0]
    for i in falls if first else falls[::-1]:
        ahead = behind = i
        while ahead > 0 and i - ahead < 6 and pressure[ahead - 1] < pressure[ahead]:
            ahead -= 1
        behind = i + 1
        while behind < len(x) - 1 and behind - i < 6 and pressure[
                behind + 1] > pressure[behind] + 0.02 * (pressure[i + 1] - pressure[ahead]):
            behind += 1
        if mach[ahead] < least or behind - ahead < 1:
            continue
        stretch = slice(ahead, behind + 1)
        return float(np.interp(0.5 * (pressure[ahead] + pressure[behind]), pressure[stretch],
                               x[stretch])), float(mach[ahead])
    return None, 0.0


def mach_disc(row, exit_at):
    """The normal shock that closes the first cell of a strong jet on its axis.

    Parameters
    ----------
    row : dict, the "axis" of `read_rows`
    exit_at : float
        Metres.

    Returns
    -------
    dict or None
        ``x`` (m behind the exit), ``mach_ahead``.
    """
    behind = row["s"] > exit_at
    place, ahead = shock_on_line(row["s"][behind], row["pressure"][behind], row["mach"][behind], first=True,
                                 least=DISC_FROM)
    return None if place is None else {"x": place - exit_at, "mach_ahead": ahead}


def shock_cells(row, exit_at, ambient):
    """Ends of the shock cells along a jet's axis.

    Parameters
    ----------
    row : dict, the "axis" of `read_rows`
    exit_at : float
        Metres.
    ambient : float
        Pa.

    Returns
    -------
    dict or None
        ``ends`` (m behind the exit), ``spacing`` (their mean distance, m), ``count``.
    """
    behind = row["s"] > exit_at
    x, pressure = row["s"][behind] - exit_at, row["pressure"][behind]
    peaks, _ = find_peaks(pressure, prominence=LEAST_PEAK * ambient)
    if len(peaks) < 2:
        return None
    ends = []
    for k in peaks[:8]:
        a, b, c = pressure[k - 1:k + 2]
        ends.append(float(x[k] + 0.25 * (x[k + 1] - x[k - 1]) * (a - c) / (a - 2 * b + c)))
    used = ends[:5]
    return {"ends": ends, "spacing": float((used[-1] - used[0]) / (len(used) - 1)), "count": len(peaks)}
