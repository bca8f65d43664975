"""A jet in time made ready from a nozzle's sheet: its flow, what the formula expects, what preflight says."""
import numpy as np

from ....instruments.balance import channel_name
from ....sound.jet import (
    ABSORB_DOWNSTREAM, ABSORB_SIDEWAYS, ABSORB_UPSTREAM, DOWNSTREAM, SAMPLE_EVERY, SIDEWAYS, UPSTREAM, JetFlow
)
from ....theory import area_ratio
from ...findings import Estimate, Finding
from ...progress import RunFailed

# Seconds per cell and step until this machine has measured its own.
DEFAULT_COST = 5.5e-7
# Length of a segment of the spectra, in exit diameters over the ambient speed of sound.
SEGMENT = 60.0
# Segments that a record needs, and keeps whatever the start-up does.
KEPT_SEGMENTS = 1.5
SCREECH_SOURCE = (
    "f = u_c / (L (1 + u_c / a)), u_c = 0.7 u_j, L = 1.306 sqrt(Mj² − 1) D_j (Powell 1953, Prandtl 1904)")

# Jets below this fully expanded Mach number build up their tone slowly and want a record of this length, in
# exit diameters over the speed of sound.
WEAK_JET, WEAK_RECORD = 1.13, 220.0
# Thickest lip, in exit diameters: half of the air between the nozzle's edge and the absorbing zone.
MOST_LIP = 0.5 * (SIDEWAYS - ABSORB_SIDEWAYS - 0.5)


def noise_channels(setup):
    """Names of the channels of a noise run: the pressure above ambient at every microphone, Pa."""
    return ["step", "residual", "courant"
            ] + [channel_name(f"p_{m.name}") for m in setup.sheet.instruments.microphones]


def no_jet(setup):
    """Why a sheet's jet cannot be followed in time, as (field, message); None where it can."""
    lip = setup.sheet.shape.lip
    if setup.sheet.air.supply == "supersonic":
        return (
            "air.supply",
            "The jet's noise takes its exit from a supply that is given by its total pressure or its mass "
            "flow. Choose one of them.")
    if setup.theory.regime == "subsonic":
        return ("air.total_pressure",
                "The jet's noise is computed of choked nozzles (sonic or supersonic at the exit). Raise the "
                "supply's total pressure.")
    if lip > MOST_LIP * setup.scale:
        return (
            "shape.lip",
            f"The lip is {lip / setup.scale:.3g} exit diameters thick: it would fill the air in which the "
            f"sound is computed. Give {MOST_LIP * setup.scale:.3g} m or less.")
    return None


def make_flow(setup):
    """The `JetFlow` of a nozzle's exit by one-dimensional theory; raises RunFailed where there is none
    (`no_jet`)."""
    theory, air, flow = setup.theory, setup.air, setup.sheet.flow
    missing = no_jet(setup)
    if missing:
        raise RunFailed(missing[1])
    warmth = air.supply_temperature / air.temperature
    gain = 0.5 * (air.gamma - 1)
    jet = JetFlow(theory.exit_mach, theory.exit_pressure * air.supply_pressure / air.ambient_pressure,
                  warmth / (1 + gain * theory.exit_mach**2), air.mach_ideal,
                  warmth / (1 + gain * air.mach_ideal**2), setup.sheet.shape.lip / setup.scale,
                  flow.cells_per_diameter, flow.noise_reynolds)
    if flow.exit_profile == "theory" and flow.exit_layer != 0:
        jet.slow_down_at_wall(
            laminar_layer(flow.noise_reynolds) if flow.exit_layer is None else flow.exit_layer)
    return jet


def laminar_layer(reynolds):
    """Thickness to 99 % of the speed, in diameters, of the layer on a flat wall one diameter long (Blasius: 5
    x / sqrt(Re_x))."""
    return 5 / np.sqrt(reynolds)


def expanded_diameter(setup):
    """Diameter of the fully expanded jet over the exit's, by its mass flow."""
    mach = setup.theory.exit_mach
    return float(np.sqrt(area_ratio(setup.air.mach_ideal) / area_ratio(mach)))


def cell_length(setup):
    """Length of a shock cell of the expanded jet over the exit's diameter (Prandtl 1904)."""
    return 1.306 * np.sqrt(setup.air.mach_ideal**2 - 1) * expanded_diameter(setup)


def screech_formula(setup):
    """Screech frequency in Hz by the formula for shock cells and convected waves, or None for a jet without
    cells."""
    mach = setup.air.mach_ideal
    if mach <= 1.02:
        return None
    jet_speed = setup.air.speed / setup.air.speed_of_sound
    convected = 0.7 * jet_speed
    return float(convected / (cell_length(setup) * (1 + convected)) * setup.air.speed_of_sound / setup.scale)


def estimate_noise(setup, cost=DEFAULT_COST):
    """Cells, time, memory and disk, or None without a jet to follow; `cost` in seconds per cell and step."""
    if no_jet(setup):
        return None
    flow = make_flow(setup)
    steps = setup.sheet.flow.duration / flow.step
    samples = steps / SAMPLE_EVERY * max(len(setup.sheet.instruments.microphones), 1)
    return Estimate(flow.cells, 3.0 + steps * flow.cells * cost, 120 + flow.cells * 400 / 1e6,
                    1.0 + samples * 8 / 1e6)


def preflight_noise(setup):
    """Findings of a noise run: what it cannot do, and microphones that stand badly."""
    sheet = setup.sheet
    if not setup.is_round:
        yield Finding("stop", "shape.form", "The noise is computed of round nozzles. Take the round form.")
    if sheet.domain.kind != "open air":
        yield Finding("stop", "domain.kind",
                      "The jet's noise needs the jet in the open. Choose it in the domain section.")
    if sheet.air.coflow > 0 or abs(sheet.air.ratio - 1.4) > 1e-3:
        yield Finding(
            "stop", "air.coflow",
            "The jet's noise is computed in still air with a ratio of specific heats of 1.4. Set both back.")
    missing = no_jet(setup)
    if missing:
        yield Finding("stop", *missing)
        return
    if not sheet.instruments.microphones:
        yield Finding(
            "stop", "instruments.microphones",
            "A noise run needs a microphone. Add one, for example two exit diameters beside the exit.")
    for m in sheet.instruments.microphones:
        yield from _microphone(setup, m)
    flow, f = make_flow(setup), sheet.flow
    expected = screech_formula(setup)
    record = f.duration - f.discard
    if record < KEPT_SEGMENTS * SEGMENT:
        yield Finding(
            "warn", "flow.duration",
            f"After the start-up {record:.0f} exit diameters over the speed of sound are left: spectra need "
            f"{KEPT_SEGMENTS * SEGMENT:.0f} or more. Follow it for {f.discard + KEPT_SEGMENTS * SEGMENT:.0f}."
        )
    if expected:
        periods = record * setup.scale / setup.air.speed_of_sound * expected
        yield Finding(
            "note", "flow.model",
            f"Shock cells and convected waves suggest a tone near {expected:.0f} Hz, some {periods:.0f} "
            "periods after the start-up.")
        if setup.air.mach_ideal < WEAK_JET and f.duration < WEAK_RECORD:
            yield Finding(
                "warn", "flow.duration",
                f"At a fully expanded Mach number of {setup.air.mach_ideal:.2f} the tone takes some 90 exit "
                "diameters over the speed of sound to build up: of 180, the two halves of what is left "
                f"differed by 3 to 8 % in level when tried. Follow it for {WEAK_RECORD:.0f} or more.")
        if setup.air.mach_ideal > 1.3:
            yield Finding(
                "warn", "air.total_pressure",
                f"At a fully expanded Mach number of {setup.air.mach_ideal:.2f} real jets screech in helical "
                "modes, which axisymmetric flow cannot have. The formula too is for axisymmetric ones.")
    if sheet.flow.cells_per_diameter < 16:
        yield Finding("warn", "flow.cells_per_diameter",
                      "Fewer than 16 cells per diameter damp the waves that make the tone.")
    yield Finding(
        "note", "flow.model", f"{int(f.duration / flow.step)} steps of "
        f"{flow.step * setup.scale / setup.air.speed_of_sound * 1e6:.3g} µs; sampled at "
        f"{1e-3 / (SAMPLE_EVERY * flow.step * setup.scale / setup.air.speed_of_sound):.4g} kHz.")


def _microphone(setup, m):
    x, r = m.x / setup.scale, m.r / setup.scale
    lip = setup.sheet.shape.lip / setup.scale
    words = f"The microphone “{m.name}” at x = {m.x:g} m behind the exit, r = {m.r:g} m"
    if x < 0 and r < 0.5 + lip:
        yield Finding("stop", "instruments.microphones",
                      f"{words} stands inside the nozzle or its wall. Move it outwards or behind the exit.")
    elif x > DOWNSTREAM or -x > UPSTREAM or r > SIDEWAYS:
        yield Finding(
            "stop", "instruments.microphones",
            f"{words} stands outside the air that is computed: {-UPSTREAM * setup.scale:.3g} to "
            f"{DOWNSTREAM * setup.scale:.3g} m along, {SIDEWAYS * setup.scale:.3g} m to the side.")
    elif (x > DOWNSTREAM - ABSORB_DOWNSTREAM or -x > UPSTREAM - ABSORB_UPSTREAM
          or r > SIDEWAYS - ABSORB_SIDEWAYS):
        yield Finding(
            "stop", "instruments.microphones",
            f"{words} stands in the absorbing zone, where waves are damped: keep it between "
            f"{-(UPSTREAM - ABSORB_UPSTREAM) * setup.scale:.3g} and "
            f"{(DOWNSTREAM - ABSORB_DOWNSTREAM) * setup.scale:.3g} m along and within "
            f"{(SIDEWAYS - ABSORB_SIDEWAYS) * setup.scale:.3g} m of the axis.")
