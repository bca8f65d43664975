"""What the compiled loops share: places in the array of gas constants and switches, and how they are
compiled."""

# GAMMA to TURBULENT_PRANDTL: the gas and the stream. PRECONDITION, VISCOUS, LIMIT, FIRST_ORDER, AXISYMMETRIC:
# switches.
# CENTRED: share of the centred difference in the reconstruction. PUSH: whether what runs against a wall with
# friction raises its pressure. EMPTY: what must be left in a cell, see `clip_change`.
(GAMMA, MACH, VISCOSITY, PRANDTL, SUTHERLAND, PRECONDITION, VISCOUS, LIMIT, FIRST_ORDER, TURBULENT_PRANDTL,
 CENTRED, AXISYMMETRIC, PUSH, EMPTY) = range(14)
N_CONSTANTS = 14

fast = dict(cache=True, error_model="numpy", fastmath={"nsz", "arcp", "contract", "afn", "reassoc"})
# For sums over a handful of neighbours: taken out of order they would be worked on in packs, which costs more
# than it saves.
in_order = dict(cache=True, error_model="numpy", fastmath={"nsz", "arcp", "contract", "afn"})
# For loops that must see what is not a number.
checked = dict(cache=True, error_model="numpy")
