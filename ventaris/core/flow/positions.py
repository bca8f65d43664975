"""What the compiled loops share: kinds of boundary faces, places in the array of gas constants, how they are compiled."""

NV = 4
# Kinds of boundary faces. What a face's row of `ghost` holds depends on its kind:
# NO_SLIP [T of the wall or 0 where no heat is given that way, heat into the flow, u, v of the wall];
# FAR_FIELD and INLET [p, T, u, v] outside (an inlet uses T, u, v); OUTLET [p, T] of the air at rest outside, which are
# the total ones of air that comes back (in a plane; in space p alone is used);
# BLOWN [value into the flow, T of the blown air, 1 if the value is a speed or 0 if a mass flow, -];
# TOTAL_INLET [total p, total T, direction x, y (0, 0: along the normal)]; MASS_INLET [mass flow per area, total T,
# direction]; MASS_OUTLET [mass flow per area, -, -, -].
SLIP, NO_SLIP, FAR_FIELD, BLOWN, OUTLET, INLET, TOTAL_INLET, MASS_INLET, MASS_OUTLET = range(9)

# Positions in the array of gas constants and switches.
GAMMA, MACH, VISCOSITY, PRANDTL, SUTHERLAND, PRECONDITION, VISCOUS, LIMIT, FIRST_ORDER, TURBULENT_PRANDTL, CENTRED, AXISYMMETRIC = range(12)
N_CONSTANTS = 12

fast = dict(cache=True, error_model="numpy", fastmath={"nsz", "arcp", "contract", "afn", "reassoc"})
