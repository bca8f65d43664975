"""All closures under the names that a run sheet knows them by; a further one is a file of this room and a line here."""
from functools import partial

from .shear_stress_transport import SHOCK_SHEAR_LIMIT, ShearStressTransport
from .spalart_allmaras import SpalartAllmaras

CLOSURES = {
    "spalart-allmaras": SpalartAllmaras,
    "sst": ShearStressTransport,
    "sst-shock": partial(ShearStressTransport, shear_limit=SHOCK_SHEAR_LIMIT),
}
