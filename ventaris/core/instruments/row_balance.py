"""What a blade row does: flows, averages, torque and loads of the whole wheel, in SI.

Averages are those over the mass that flows: total pressure and angle by mass flow, total temperature by the
energy over the mass. Power is torque times speed of rotation; the rise of total enthalpy stands beside it.

References
----------
Cumpsty: Compressor aerodynamics, 1989, appendix (averages); chapter 4 (diffusion factor).
Leishman: Principles of helicopter aerodynamics, 2006, chapter 2 (coefficients of rotors, figure of merit).
"""
import numpy as np

# Total temperatures that differ by less than this share make no efficiency.
NO_WORK = 2e-3
# Spans at which the blades are read, beside the sheet's own.
SPANS = (0.1, 0.5, 0.9)


class RowBalance:
    """Reads the last residual of a discretisation on a passage.

    Parameters
    ----------
    setup : RowSetup
    flow : Discretisation
    """
    def __init__(self, setup, flow):
        self.setup, self.flow, mesh = setup, flow, flow.mesh
        self.inlet, self.outlet = mesh.boundaries["inlet"], mesh.boundaries["outlet"]
        self.blade = np.concatenate([mesh.boundaries[n] for n in ("blade", "tip") if n in mesh.boundaries])
        turning = ("blade", "tip") if setup.is_open else ("blade", "tip", "hub")
        self.turning = np.concatenate([mesh.boundaries[n] for n in turning if n in mesh.boundaries])

    @property
    def force_unit(self):
        """N of one unit of force in the solver's scales."""
        s = self.setup
        return s.air.gamma * s.air.pressure * s.scale**2

    def measure(self, state):
        """{channel: value} of the whole wheel; `state` is that of the last residual."""
        loads = self._loads()
        return loads | (self._open(loads) if self.setup.is_open else self._duct(state, loads["power"]))

    def _loads(self):
        """Torque against the turning that the air puts on the wheel, its power, and the thrust upstream."""
        s, mesh = self.setup, self.flow.mesh
        force = self.force_unit * s.row.blades
        f, x = self.flow.flux[self.turning][:, 2:5], mesh.face_centre[self.turning]
        # The walls take the momentum that leaves the air through them; blades turn towards falling angles.
        torque = float((x[:, 1] * f[:, 2] - x[:, 2] * f[:, 1]).sum()) * force * s.scale
        thrust = -float(self.flow.flux[self.blade][:, 2].sum()) * force
        return {"torque": torque, "power": torque * s.omega, "thrust": thrust}

    def _duct(self, state, power):
        s, g, air = self.setup, self.setup.air.gamma, self.setup.air
        ends = self._at_faces(state, "in"), self._at_faces(state, "out")
        enter, leave = (self._averages(q) for q in ends)
        inlet = s.inlet_mean
        unit = s.mass_unit * s.row.blades
        cp = g / (g - 1) * air.gas_constant
        ratio, warmer = leave["total"] / enter["total"], leave["warmth"] / enter["warmth"]
        flow = 0.5 * (enter["mass"] + leave["mass"]) * unit
        work = flow * cp * air.temperature * (leave["warmth"] - enter["warmth"])
        blade = abs(s.omega) * s.mean_radius
        area = np.pi * (s.row.casing[0]**2 - s.row.hub[0]**2) * s.scale**2
        out = {
            "mass_flow": flow,
            "mass_flow_in": enter["mass"] * unit,
            "mass_flow_out": leave["mass"] * unit,
            "pressure_ratio": ratio,
            "temperature_ratio": warmer,
            "corrected_flow": flow * np.sqrt(inlet.temperature * air.temperature / 288.15) /
            (inlet.pressure * air.pressure / 101325.0),
            "efficiency": efficiency(ratio, warmer, g),
            "polytropic_efficiency": polytropic(ratio, warmer, g),
            "work": work,
            "work_by_swirl": self._swirl_work(ends) * unit,
            "static_ratio": leave["static"],
            "inlet_mach": enter["mach"],
            "outlet_angle": leave["angle"],
            "relative_inlet_angle": enter["relative"],
            "relative_outlet_angle": leave["relative"],
            "relative_inlet_mach": enter["relative_mach"],
            "flow_coefficient": flow / (air.density * area * blade) if blade else None,
            "loading":
            (leave["warmth"] - enter["warmth"]) * cp * air.temperature / blade**2 if blade else None,
            "relative_loss": self._relative_loss(enter, leave),
        }
        if abs(work) > 1e-9 and blade:
            out["power_balance"] = power / work - 1
        out["diffusion"], out["back_flow"] = self._diffusion(enter, leave), leave["back"]
        return out

    @staticmethod
    def _averages(q):
        """Averages over the faces of one end, in the solver's scales; angles in degrees, positive with the
        turning."""
        area = q["area"]
        mean = lambda values: float((q["weight"] * values).sum() / max(q["weight"].sum(), 1e-300))
        return {
            "mass": float(abs(q["flux"].sum())), "back": float(area[q["axial"] < 0].sum() / area.sum()),
            "total": mean(q["total"]), "warmth": float(q["energy_flux"].sum() / q["flux"].sum()), "static":
            float((area * q["static"]).sum() / area.sum()), "mach": mean(q["mach"]), "angle":
            float(np.degrees(np.arctan2(mean(q["swirl"]), mean(q["axial"])))), "relative":
            float(np.degrees(np.arctan2(mean(q["blade"] - q["swirl"]),
                                        mean(q["axial"])))), "relative_mach": mean(q["relative_mach"]),
            "relative_total": mean(q["relative_total"]), "relative_speed": mean(q["relative_speed"]), "swirl":
            mean(q["swirl"]), "relative_warmth": mean(q["relative_warmth"])
        }

    def _at_faces(self, state, side):
        """Columns over the faces of an end, "in" or "out"; `energy_flux` is that of the total temperature
        over the reference's."""
        s, mesh, g = self.setup, self.flow.mesh, self.setup.air.gamma
        faces = self.inlet if side == "in" else self.outlet
        cell, local = mesh.left[faces], faces - self.flow.n_interior
        x, y, z = mesh.face_centre[faces].T
        r = np.hypot(y, z)
        p, t, u, v, w = (state[cell, k] for k in range(5))
        if side == "out":
            p = np.where(u > 0, self.flow.ghost[local, 0], p)
        swirl = (z * v - y * w) / r
        radial = (y * v + z * w) / r
        blade = -s.turn * r
        q2 = u * u + v * v + w * w
        relative2 = u * u + radial**2 + (swirl - blade)**2
        static = g * p + 1
        total = static * (1 + 0.5 * (g - 1) * q2 / t)**(g / (g - 1))
        flux = self.flow.flux[faces, 0]
        return {
            "area": mesh.area[faces], "flux": flux, "energy_flux": self.flow.flux[faces, 1] * (g - 1),
            "weight": np.maximum(flux if side == "out" else -flux, 0.0), "static": static, "total": total,
            "mach": np.sqrt(q2 / t), "relative_mach": np.sqrt(relative2 / t), "axial": u, "swirl": swirl,
            "blade": blade, "radius": r, "relative_speed": np.sqrt(relative2), "relative_total":
            static * (1 + 0.5 * (g - 1) * relative2 / t)**(g / (g - 1)), "relative_warmth":
            t + 0.5 * (g - 1) * relative2, "warmth": t + 0.5 * (g - 1) * q2
        }

    def _swirl_work(self, ends):
        """Speed of rotation times the change of angular momentum of what flows through: J/kg times the flow
        in the solver's scales."""
        s = self.setup
        moment = sum(float((q["flux"] * q["swirl"] * q["radius"]).sum()) for q in ends)
        return moment * s.omega * s.air.speed_of_sound * s.scale

    def _relative_loss(self, enter, leave):
        """Loss of relative total pressure over the relative dynamic head at the inlet, against what would be
        there without loss at the outlet's radius."""
        g = self.setup.air.gamma
        ideal = enter["relative_total"] * (leave["relative_warmth"] / enter["relative_warmth"])**(g / (g - 1))
        head = enter["relative_total"] - enter["static"]
        return float((ideal - leave["relative_total"]) / head) if head > 0 else None

    def _diffusion(self, enter, leave):
        """Lieblein's factor of the means."""
        w1, w2 = enter["relative_speed"], leave["relative_speed"]
        turned = leave["swirl"] - enter["swirl"]
        return float(1 - w2 / w1 + abs(turned) / (2 * self.setup.solidity * w1))

    def _open(self, loads):
        """Coefficients of rotors in the open; those that mean nothing at rest are left out."""
        s, air = self.setup, self.setup.air
        r, tip, wind = s.tip_radius, s.tip_speed, s.sheet.air.wind
        disc, out = np.pi * r**2, {}
        if tip > 0:
            turns = abs(s.omega) / (2 * np.pi)
            out["thrust_coefficient"] = loads["thrust"] / (air.density * turns**2 * (2 * r)**4)
            out["power_coefficient"] = loads["power"] / (air.density * turns**3 * (2 * r)**5)
            out["disc_thrust"] = loads["thrust"] / (air.density * disc * tip**2)
            out["disc_power"] = loads["power"] / (air.density * disc * tip**3)
            if wind == 0 and loads["power"] > 0 and loads["thrust"] > 0:
                out["figure_of_merit"] = out["disc_thrust"]**1.5 / (np.sqrt(2) * out["disc_power"])
            if wind > 0 and loads["power"] > 0 and loads["thrust"] > 0:
                out["efficiency"] = loads["thrust"] * wind / loads["power"]
        if wind > 0:
            head = 0.5 * air.density * wind**2 * disc
            out["wheel_power"] = -loads["power"] / (head * wind)
            out["wheel_thrust"] = -loads["thrust"] / head
        return out

    def read_rows(self, state):
        """Curves: {row: {column: values}}; `s` is the share of the axial chord, or of the blade's span."""
        out = {}
        spans = sorted({*SPANS, round(0.01 * self.setup.sheet.instruments.span, 4)})
        q = self._at_faces(state, "in")
        moment = float((q["weight"] * q["swirl"] * q["radius"]).sum() / max(q["weight"].sum(), 1e-300))
        for span in spans:
            out |= self._blade_at(span, moment)
        out["span"] = self._over_span(state)
        out["blade"] = self._load_over_span()
        return {name: columns for name, columns in out.items() if columns and len(columns["s"])}

    def _blade_at(self, span, moment):
        """Pressure and isentropic Mach number on both sides of the blade at a share of its span."""
        s, mesh, g = self.setup, self.flow.mesh, self.setup.air.gamma
        faces = mesh.boundaries["blade"]
        cell = mesh.left[faces]
        middle = 0.5 * (mesh.span[1:] + mesh.span[:-1])
        level = int(np.argmin(np.abs(middle - span * s.row.tip)))
        pick = faces[mesh.level[cell] == level]
        # The ring of the O block: cells of the plane come in the order round the blade.
        pick = pick[np.argsort(mesh.plane_cell[mesh.left[pick]])]
        centre = mesh.face_centre[pick]
        x, theta = centre[:, 0], np.arctan2(centre[:, 2], centre[:, 1])
        p = self.flow.wall_pressure[pick - self.flow.n_interior]
        nose, tail = int(np.argmin(x)), int(np.argmax(x))
        r = float(np.hypot(centre[:, 1], centre[:, 2]).mean())
        static = g * p + 1
        head = self._relative_head(r, moment, span)
        mach = np.sqrt(np.maximum(2 / (g - 1) * ((head / np.maximum(static, 1e-6))**((g - 1) / g) - 1), 0))
        share = (x - x[nose]) / max(x[tail] - x[nose], 1e-12)
        out, n = {}, len(pick)
        for first, last in ((nose, tail), (tail, nose)):
            run = np.arange(first, last + 1 if last >= first else last + n + 1) % n
            run = run[np.argsort(share[run], kind="stable")]
            side = "suction" if theta[run].mean() > theta.mean() else "pressure"
            out[f"{side}_{round(100 * span)}"] = {
                "s": share[run], "pressure": static[run] * s.air.pressure, "mach": mach[run]
            }
        return out

    def _relative_head(self, r, moment, span):
        """Total pressure over the reference that air from the inlet, with a moment of its swirl, has against
        the blades at a radius and share of the span."""
        s, g = self.setup, self.setup.air.gamma
        blade = -s.turn * r
        if s.is_open:
            return (1 + 0.5 * (g - 1) * (blade**2 + (s.sheet.air.wind / s.air.speed_of_sound)**2))**(g /
                                                                                                     (g - 1))
        # Along a stream line the rothalpy stays.
        inlet = s.inlet_at(span)
        warm = 1 + 0.5 * (g - 1) * (blade**2 - 2 * blade * moment / r) / inlet.temperature
        return inlet.pressure * warm**(g / (g - 1))

    def _over_span(self, state):
        """What leaves, ring by ring."""
        s, g, mesh = self.setup, self.setup.air.gamma, self.flow.mesh
        q, ring = self._at_faces(state, "out"), mesh.level[mesh.left[self.outlet]]
        n = int(ring.max()) + 1
        weight = np.bincount(ring, q["weight"], minlength=n)
        mean = lambda v: np.bincount(ring, q["weight"] * v, minlength=n) / np.maximum(weight, 1e-300)
        r, total, warmth = mean(q["radius"]), mean(q["total"]), mean(q["warmth"])
        axial, swirl, blade = mean(q["axial"]), mean(q["swirl"]), mean(q["blade"])
        hub, outer = s.row.hub[-1], s.row.casing[-1]
        far = s.tip_radius / s.scale if s.is_open else outer
        keep = (weight > 0) & (r <= 1.5 * far)
        columns = {
            "s": (r - hub) / (far - hub), "pressure_ratio": total, "temperature_ratio": warmth, "axial_speed":
            axial * s.air.speed_of_sound, "swirl_angle": np.degrees(np.arctan2(swirl, axial)),
            "relative_angle": np.degrees(np.arctan2(blade - swirl, axial)), "radius": r * s.scale
        }
        if not s.is_open:
            columns["efficiency"] = np.array([efficiency(a, b, g) or np.nan for a, b in zip(total, warmth)])
        return {name: values[keep] for name, values in columns.items()}

    def _load_over_span(self):
        """Thrust and torque of all blades per length of the span."""
        s, mesh = self.setup, self.flow.mesh
        faces = mesh.boundaries["blade"]
        level = mesh.level[mesh.left[faces]]
        n = int(level.max()) + 1
        force = self.force_unit * s.row.blades
        f, x = self.flow.flux[faces][:, 2:5], mesh.face_centre[faces]
        r_axis = np.array([s.row.radius_at(share) for share in mesh.span[:n + 1]])
        length = np.diff(r_axis) * s.scale
        torque = np.bincount(level, x[:, 1] * f[:, 2] - x[:, 2] * f[:, 1], minlength=n) * force * s.scale
        thrust = -np.bincount(level, f[:, 0], minlength=n) * force
        middle = 0.5 * (r_axis[1:] + r_axis[:-1])
        hub, tip = r_axis[0], s.tip_radius / s.scale
        return {
            "s": (middle - hub) / (tip - hub), "thrust": thrust / length, "torque": torque / length, "radius":
            middle * s.scale
        }


def efficiency(ratio, warmer, gamma):
    """Isentropic efficiency of total pressures and temperatures, of a compressor or of a turbine; None
    without work."""
    if abs(warmer - 1) < NO_WORK or ratio <= 0:
        return None
    ideal = ratio**((gamma - 1) / gamma) - 1
    if warmer > 1:
        return float(ideal / (warmer - 1))
    return float((warmer - 1) / ideal) if ideal < 0 else None


def polytropic(ratio, warmer, gamma):
    """Polytropic efficiency, likewise."""
    if abs(warmer - 1) < NO_WORK or ratio <= 0 or abs(np.log(ratio)) < 1e-9:
        return None
    small = (gamma - 1) / gamma * np.log(ratio) / np.log(warmer)
    return float(small if warmer > 1 else 1 / small)
