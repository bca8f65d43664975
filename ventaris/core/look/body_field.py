"""A stored flow round a body, ready to be looked at: sampled anywhere, mapped to the surface, cut and
traced."""
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numba import njit, prange
from scipy.spatial import cKDTree

from ..grids.octree import Octree
from ..shapes.triangle_tree import morton
from .fields import QUANTITIES, Quantity, derive

CORNERS = np.array([[i, j, k] for i in (0, 1) for j in (0, 1) for k in (0, 1)], dtype=np.int64)
SURFACE_QUANTITIES = {
    q.key: q
    for q in (Quantity("cp", "Pressure coefficient Cp", "", True, 0.0),
              Quantity("cf", "Skin friction coefficient Cf", ""),
              Quantity("y_plus", "y+ of the first cell", ""),
              Quantity("pressure", "Pressure (absolute)", "Pa"),
              Quantity("pressure_rise", "Pressure over that of the stream", "Pa", True, 0.0))
}
# Those that are kept; the others follow from Cp and the air.
READ_ON_WALL = ("cp", "cf", "y_plus")
# Wall readings belong to one side of an edge: how strongly a turned normal counts as distance, in cells.
TURN = 3.0
NEIGHBOURS = 4
VELOCITY = "vx", "vy", "vz"
# Readings put between two wall cells of a layer, at most.
MOST_BETWEEN = 12


@dataclass
class BodyField:
    """Everything needed to look at a state; lengths in the solver's unit, `scale` metres each.

    Attributes
    ----------
    level : str
    scale : float
    tree : Octree
    leaf_cell : ndarray of int, shape (n_leaves,)
        -1 in the body.
    state : ndarray, shape (n_cells, 5 or 6)
    wall_centre, wall_normal : ndarray, shape (n_wall, 3)
        The normal points into the body.
    wall_values : dict of str to ndarray
        ``cp, cf, y_plus``, shape (n_wall,).
    wall_shear : ndarray, shape (n_wall, 3)
        Friction on the body as coefficients.
    half : bool
        Only y > 0 was computed; the other half is its mirror image.
    air : AirState
    mean : ndarray, shape (n_cells, 6), or None
        Of a flow followed in time: means of [p, T, u, v, w] and the variance of p.
    """

    level: str
    scale: float
    tree: Octree
    leaf_cell: np.ndarray
    state: np.ndarray
    wall_centre: np.ndarray
    wall_normal: np.ndarray
    wall_values: dict
    wall_shear: np.ndarray
    half: bool = False
    air: object = None
    mean: np.ndarray | None = None
    cache: dict = field(default_factory=dict)

    @property
    def box(self):
        """Lower and upper corner of the domain."""
        t = self.tree
        return np.stack([t.low, t.low + t.counts * t.step])

    @cached_property
    def _nodes(self):
        """(node of every corner of every leaf, weight of each leaf at its nodes, number of nodes)."""
        t = self.tree
        lattice = (t.corner[:, None] + t.width[:, None, None] * CORNERS).reshape(-1, 3)
        _, node = np.unique(morton(lattice), return_inverse=True)
        return np.ascontiguousarray(node.reshape(-1, 8)), int(node.max()) + 1

    def _nodal(self, cell_values):
        """Node values averaged from the leaves that meet there, small ones counting more; NaN within the
        body."""
        node, count = self._nodes
        inside = self.leaf_cell >= 0
        # Inverse distance: a leaf's centre is half its diagonal from its corners.
        weight = np.where(inside, 1.0 / self.tree.width, 0.0)
        value = np.where(inside, cell_values[np.maximum(self.leaf_cell, 0)], 0.0)
        flat = node.ravel()
        total = np.bincount(flat, np.repeat(weight, 8), minlength=count)
        summed = np.bincount(flat, np.repeat(weight * value, 8), minlength=count)
        with np.errstate(invalid="ignore", divide="ignore"):
            return summed / total

    def values(self, key):
        """Cell values of a quantity or of ``vx, vy, vz`` (over the stream's speed), shape (n_cells,)."""
        if "values" not in self.cache:
            found = derive(self.state[:, :4] if self.state.shape[1] < 6 else np.delete(self.state, 4, axis=1),
                           self.air)
            self.cache["values"] = found | self._in_space(found) | self._about_mean()
        return self.cache["values"][key]

    def _in_space(self, planar):
        """What the third velocity component changes."""
        g, mach = self.air.gamma, self.air.mach
        p, t = self.state[:, 0], np.maximum(self.state[:, 1], 1e-9)
        speed2 = (self.state[:, 2:5]**2).sum(axis=1)
        own = np.sqrt(speed2 / t)
        exponent = g / (g - 1)
        total = np.maximum(p + 1 / g, 1e-9) * (1 + 0.5 * (g - 1) * own**2)**exponent
        loss = ((1 + 0.5 * (g - 1) * mach**2)**exponent / g - total) / (0.5 * mach**2)
        vx, vy, vz = (self.state[:, a] / mach for a in (2, 3, 4))
        return {
            "speed": np.sqrt(speed2) * self.air.speed_of_sound, "mach": own, "loss": loss, "vx": vx, "vy": vy,
            "vz": vz
        }

    def _about_mean(self):
        """What the means over time tell: pressures in Pa, the mean flow as coefficients and speeds."""
        if self.mean is None:
            return {}
        scale = self.air.density * self.air.speed_of_sound**2
        pressure = self.mean[:, 0]
        return {
            "fluctuation": (self.state[:, 0] - pressure) * scale,
            "pressure_rms": np.sqrt(self.mean[:, 5]) * scale, "mean_cp": pressure / (0.5 * self.air.mach**2),
            "mean_speed": np.linalg.norm(self.mean[:, 2:5], axis=1) * self.air.speed_of_sound
        }

    @property
    def quantities(self):
        """Quantities that can be shown on planes."""
        left_out = (set() if self.state.shape[1] > 5 else {"eddy"}) | (set() if self.mean is not None else
                                                                       OVER_TIME)
        return {k: q for k, q in SPACE_QUANTITIES.items() if k not in left_out}

    def nodal(self, key):
        """Node values of a quantity, kept."""
        if key not in self.cache:
            made = {"q": self._vortex, "density_gradient": self._density_gradient}.get(key)
            self.cache[key] = made() if made else self._nodal(self.values(key))
        return self.cache[key]

    def _vortex(self):
        """Q-criterion at the nodes, from the nodal velocity inside each leaf, times (body's size over speed)
        squared."""
        node, _ = self._nodes
        g = np.stack([self._slope(name) for name in ("vx", "vy", "vz")], axis=1)
        bad = ~np.isfinite(self.nodal("vx")[node]).all(axis=1)
        g[bad] = 0.0
        q = -0.5 * np.einsum("kij,kji->k", g, g)
        total = self._spread(q)
        return total

    def _slope(self, key):
        """Gradient of a quantity in each leaf, from its nodes; shape (n_leaves, 3)."""
        values = np.nan_to_num(self.nodal(key)[self._nodes[0]])
        return values @ (2.0 * CORNERS - 1.0) / (4 * self.tree.size[:, None])

    def _density_gradient(self):
        """Its size at the nodes, per metre; none where a leaf reaches into the body."""
        whole = np.isfinite(self.nodal("density")[self._nodes[0]]).all(axis=1)
        return self._spread(np.where(whole, np.linalg.norm(self._slope("density"), axis=1) / self.scale, 0.0))

    def _spread(self, leaf_values):
        node, count = self._nodes
        weight = np.where(self.leaf_cell >= 0, 1.0 / self.tree.width, 0.0)
        flat = node.ravel()
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.bincount(flat, np.repeat(weight * leaf_values, 8), minlength=count) / np.bincount(
                flat, np.repeat(weight, 8), minlength=count)

    def sample(self, points, keys):
        """Values at points, NaN in the body and outside; shape (n, len(keys))."""
        points = np.array(points, dtype=float)
        mirrored = points[:, 1] < 0
        if self.half:
            points[:, 1] = np.abs(points[:, 1])
        leaf = self.tree.containing(points)
        cell = np.where(leaf >= 0, self.leaf_cell[np.maximum(leaf, 0)], -1)
        columns = self._columns(tuple(keys))
        out = trilinear(points, leaf, cell, self._nodes[0], self.tree.low, self.tree.step, self.tree.corner,
                        self.tree.width, columns)
        if self.half and "vy" in keys:
            out[mirrored, keys.index("vy")] *= -1.0
        return out

    def _columns(self, keys):
        """Node values of several quantities side by side; those of the velocity, which lines ask for at every
        step, are kept."""
        if keys != VELOCITY:
            return np.stack([self.nodal(k) for k in keys], axis=1)
        if VELOCITY not in self.cache:
            self.cache[VELOCITY] = np.stack([self.nodal(k) for k in keys], axis=1)
        return self.cache[VELOCITY]

    def size_at(self, points):
        """Edge of the leaf at each point."""
        points = np.array(points, dtype=float)
        if self.half:
            points[:, 1] = np.abs(points[:, 1])
        leaf = self.tree.containing(points)
        return self.tree.size[np.maximum(leaf, 0)]

    def velocity(self, points):
        """Velocity over the stream's speed, NaN in the body and outside; shape (n, 3)."""
        return self.sample(points, VELOCITY)

    @cached_property
    def _wall_tree(self):
        h = self.wall_size
        return cKDTree(np.concatenate([self.wall_centre / h, TURN * self.wall_normal], axis=1))

    @cached_property
    def wall_size(self):
        """Typical edge of the cubes on the body."""
        leaf = self.tree.containing(self.wall_centre - 1e-9 * self.wall_normal)
        return float(np.median(self.tree.size[np.maximum(leaf, 0)])) if len(leaf) else 1.0

    def on_surface(self, points, outward, columns):
        """Wall readings carried to points of the surface with their outward normals.

        Parameters
        ----------
        columns : ndarray, shape (n_wall, k)

        Returns
        -------
        ndarray, shape (n, k)
        """
        if not len(self.wall_centre):
            return np.zeros((len(points), columns.shape[1]))
        distance, near = self._wall_places(points, outward, min(NEIGHBOURS, len(self.wall_centre)))
        weight = 1.0 / (distance**2 + 0.05)
        return np.einsum("nk,nkc->nc", weight / weight.sum(axis=1, keepdims=True), columns[near])

    def _wall_places(self, points, outward, many):
        """Distances to the nearest readings on the wall and their numbers, each shape (n, many)."""
        points, outward = np.array(points, dtype=float), np.array(outward, dtype=float)
        if self.half:
            outward[points[:, 1] < 0, 1] *= -1.0
            points[:, 1] = np.abs(points[:, 1])
        distance, near = self._wall_tree.query(
            np.concatenate([points / self.wall_size, -TURN * outward], axis=1), k=many)
        return distance.reshape(len(points), many), near.reshape(len(points), many)

    def nearest_reading(self, points, outward):
        """Number of the reading on the wall that is nearest to each point of the surface, shape (n,)."""
        if not len(self.wall_centre):
            return np.zeros(len(points), dtype=np.int64)
        return self._wall_places(points, outward, 1)[1][:, 0]

    def readings(self, points, outward):
        """All of `SURFACE_QUANTITIES` at points of the surface with their outward normals."""
        found = self.on_surface(points, outward,
                                np.stack([self.wall_values[name] for name in READ_ON_WALL], axis=1))
        return self._with_pressures({name: found[:, k] for k, name in enumerate(READ_ON_WALL)})

    def wall_readings(self):
        """All of `SURFACE_QUANTITIES` where they were read, each shape (n_wall,)."""
        return self._with_pressures({name: self.wall_values[name] for name in READ_ON_WALL})

    def _with_pressures(self, values):
        rise = values["cp"] * self.air.dynamic_pressure
        return {**values, "pressure": self.air.pressure + rise, "pressure_rise": rise}


SPACE_QUANTITIES = {
    "cp": QUANTITIES["cp"], "speed": QUANTITIES["speed"], "mach": QUANTITIES["mach"],
    "loss": Quantity("loss", "Total-pressure loss, of q",
                     ""), "vx": Quantity("vx", "Velocity along x over the stream's", "", True, 0.0),
    "vy": Quantity("vy", "Velocity along y over the stream's", "", True,
                   0.0), "vz": Quantity("vz", "Velocity along z over the stream's", "", True, 0.0),
    "pressure": QUANTITIES["pressure"], "density": QUANTITIES["density"], "density_gradient":
    QUANTITIES["density_gradient"], "temperature": QUANTITIES["temperature"], "eddy": QUANTITIES["eddy"],
    "fluctuation": QUANTITIES["fluctuation"], "pressure_rms": Quantity("pressure_rms",
                                                                       "Pressure fluctuation, r.m.s.", "Pa"),
    "mean_cp": Quantity("mean_cp", "Cp, mean over time", "", True,
                        0.0), "mean_speed": Quantity("mean_speed", "Speed of the mean flow", "m/s")
}
# Known only of a flow that was followed in time.
OVER_TIME = {"fluctuation", "pressure_rms", "mean_cp", "mean_speed"}


def body_field(level, flow, state, scale, half=False, air=None, mean=None):
    """What is kept of a running flow for looking."""
    mesh, wall = flow.mesh, flow.wall
    flow.residual(state)
    pressure, friction = flow.wall_loads()
    q = 0.5 * flow.stream.mach**2
    area = flow.mesh.area[wall][:, None]
    shear = friction / area / q
    cp = np.einsum("ij,ij->i", pressure, mesh.normal[wall]) / area[:, 0] / q
    values = {
        "cp": cp, "cf": np.linalg.norm(shear, axis=1),
        "y_plus": flow.wall_treatment.y_plus[wall - flow.n_interior]
    }
    centre, normal = mesh.face_centre[wall], mesh.normal[wall]
    if mesh.is_layer.any():
        one, two, share = _between_wall_cells(mesh, wall)
        more = lambda x: np.concatenate([x, ((1 - share) * x[one].T + share * x[two].T).T])
        values = {name: more(value) for name, value in values.items()}
        centre, normal, shear = more(centre), more(normal), more(shear)
        normal /= np.linalg.norm(normal, axis=1)[:, None]
    return BodyField(level, scale, mesh.tree, mesh.leaf_cell, state, centre, normal, values, shear, half, air,
                     mean=mean)


def _between_wall_cells(mesh, wall):
    """Places between neighbouring wall cells of layers that stand further apart than half a cube, so
    that readings carried to the surface know no steps along a wing: (one, two, share of the way)."""
    of_cell = np.full(mesh.n_cells, -1)
    of_cell[mesh.left[wall]] = np.arange(len(wall))
    of_cell[~mesh.is_layer] = -1
    inner = mesh.n_interior
    one, two = of_cell[mesh.left[:inner]], of_cell[mesh.right[:inner]]
    both = (one >= 0) & (two >= 0)
    one, two = one[both], two[both]
    gap = np.linalg.norm(mesh.face_centre[wall][one] - mesh.face_centre[wall][two], axis=1)
    many = np.clip(np.ceil(2.0 * gap / mesh.tree.size.min()).astype(int) - 1, 0, MOST_BETWEEN)
    number = np.arange(many.sum()) - np.repeat(np.cumsum(many) - many, many)
    return np.repeat(one, many), np.repeat(two, many), (number + 1) / (np.repeat(many, many) + 1)


def octree_from(low, step, counts, corner, width):
    """An Octree from its stored parts."""
    return Octree(np.asarray(low, dtype=float), float(step), np.asarray(counts, dtype=np.int64), corner,
                  width, morton(corner))


@njit(parallel=True, cache=True)
def trilinear(points, leaf, cell, node, low, step, corner, width, columns):
    out = np.full((len(points), columns.shape[1]), np.nan)
    for n in prange(len(points)):
        k = leaf[n]
        if k < 0 or cell[n] < 0:
            continue
        edge = width[k] * step
        f = np.empty((2, 3))
        for a in range(3):
            s = (points[n, a] - low[a] - corner[k, a] * step) / edge
            s = min(max(s, 0.0), 1.0)
            f[0, a], f[1, a] = 1.0 - s, s
        for c in range(columns.shape[1]):
            total, weight = 0.0, 0.0
            for m in range(8):
                v = columns[node[k, m], c]
                w = f[m >> 2, 0] * f[(m >> 1) & 1, 1] * f[m & 1, 2]
                if v == v:
                    total += w * v
                    weight += w
            if weight > 1e-9:
                out[n, c] = total / weight
    return out
