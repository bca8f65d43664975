"""What channels are called by people."""
from .kinds.registry import FAMILIES

# What channels are called on pages, by the whole of their names or by how they begin.
CHANNEL_WORDS = {
    "drag_pressure": "Drag from pressure, CD", "drag_friction": "Drag from friction, CD", "drag_openings":
    "Drag from what passes openings, CD", "drag_induced": "Induced drag, CD", "drag_lost":
    "Drag lost to friction and cells, CD", "lift_pressure": "Lift from pressure, CL", "side":
    "Side force coefficient CY", "roll": "Rolling moment coefficient", "turn": "Yawing moment coefficient",
    "courant": "Courant number", "exit_back_flow": "Share of the exit through which air comes back",
    "exit_p_total_least": "Least total pressure at the exit, Pa", "lift_without_slots":
    "Lift without the slots, CL", "drag_without_slots": "Drag without the slots, CD", "angle": "Angle, °",
    "height": "Heave, c", "gust": "Gust, of U", "slot_mass_flow": "Mass flow of the slots, of ρ U c",
    "casing_flow": "Flow through the casing, of ρ U c", "casing_rise":
    "Rise of total pressure in the casing, of q", "fan_efficiency": "Efficiency of the fan",
    "plate_shock_ahead": "Mach number ahead of the plate's shock", "mach_disc_ahead":
    "Mach number ahead of the Mach disc"
}
CHANNEL_STARTS = (("wheel_power_", "Power of wheel {}"), ("wheel_torque_", "Torque of wheel {}"),
                  ("angle_", "Angle of circle {}, °"), ("speed_", "Speed of {}, m/s"),
                  ("flow_", "Mass flow through {}, of ρ U c"),
                  ("total_pressure_", "Total pressure at {}, of q"), ("cp_", "Cp at {}"),
                  ("p_", "Pressure at {}, Pa"), ("drag_", "Drag of {}, CD"), ("lift_", "Lift of {}, CL"),
                  ("mass_flow_", "Mass flow of {}, kg/s"), ("heat_", "Heat of {}, W"))
CHANNEL_ENDS = (("_mach", "Mach number at {}"), ("_p_total", "Total pressure at {}, Pa"),
                ("_p", "Pressure at {}, Pa"), ("_t_total", "Total temperature at {}, K"),
                ("_t", "Temperature at {}, K"), ("_mass_flow", "Mass flow at {}, kg/s"))


def is_quantity(name):
    """Whether a kind of campaign knows it among its own quantities."""
    return any(name in kind.quantities.words for kind in FAMILIES.values())


def channel_words(name):
    """A channel's name as a person reads it."""
    for kind in FAMILIES.values():
        if name in kind.quantities.words:
            return kind.quantities.words[name][0]
    if name in CHANNEL_WORDS:
        return CHANNEL_WORDS[name]
    tail = next((f", mean by {way}"
                 for way in ("mass", "area") if name.endswith(f"_{way}") and name != f"_{way}"), "")
    bare = name.removesuffix("_mass").removesuffix("_area") if tail else name
    for start, words in CHANNEL_STARTS:
        if bare.startswith(start) and not tail:
            return words.format(bare.removeprefix(start).replace("_", " "))
    for end, words in CHANNEL_ENDS:
        if bare.endswith(end) and len(bare) > len(end):
            return words.format(bare.removesuffix(end).replace("_", " ")) + tail
    return name


def channel_called(words):
    """The name of the channel that `channel_words` calls so, whatever its capitals; empty where there is
    none."""
    sought = " ".join(words.split()).casefold()
    for kind in FAMILIES.values():
        for name, (label, *_) in kind.quantities.words.items():
            if sought in (label.casefold(), name.casefold()):
                return name
    for name, label in CHANNEL_WORDS.items():
        if sought in (label.casefold(), name):
            return name
    ways = [f", mean by {way}" for way in ("mass", "area") if sought.endswith(f", mean by {way}")]
    bare = sought.removesuffix(ways[0]) if ways else sought
    for affix, label in (*CHANNEL_STARTS, *CHANNEL_ENDS):
        before, _, after = label.casefold().partition("{}")
        if not (bare.startswith(before) and bare.endswith(after) and len(bare) > len(before + after)):
            continue
        place = bare[len(before):len(bare) - len(after)].replace(" ", "_")
        found = affix + place if affix.endswith("_") else place + affix
        found += f"_{ways[0].rsplit(' ')[-1]}" if ways else ""
        if channel_words(found).casefold() == sought:
            return found
    return ""
