"""Settings that are seldom touched: while at their defaults they stand behind *more* on the sheet."""
from ..core.sheet import SECTIONS_OF

SELDOM = {
    "air": ("gas", "gamma", "gas_constant", "heat_capacity", "molar_mass", "prandtl", "viscosity_ratio"),
    "domain": ("side_walls", "above", "below", "left", "right"),
    "grid": ("nose_size", "tail_size", "least_size", "layer_growth", "growth", "gap_cells", "wake_size",
             "planned_speed", "edge_halvings", "curved", "across_gap", "buffer", "wake_length", "shock_size",
             "outside", "edge_cells", "off_cells", "beyond_cells", "ahead_cells", "behind_cells"),
    "instruments": ("moment_y", "moment_z", "mass"),
    "run": ("steady", "courant_start", "courant_most", "first_order_steps", "krylov_vectors", "disturbance",
            "discard", "frames", "frame_every", "keep", "cores"),
}


def seldom_fields(space):
    """{path: what stands in the field at its default} of a kind of campaign."""
    out = {}
    for section, names in SELDOM.items():
        fields = SECTIONS_OF[space][section].model_fields
        for name in names:
            if name in fields:
                default = fields[name].default
                text = default if isinstance(default,
                                             str) else f"{default:.10g}" if default is not None else ""
                out[f"{section}.{name}"] = text
    return out
