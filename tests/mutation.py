"""Damage to documents and bytes, by a fixed seed: what people, discs and attackers do to files."""
import copy
import json
import random

NASTY = (None, True, -1, 0, 99, 10**400, 1e999, float("nan"), -1e308, "", "x" * 5000, "a\0b", "\ud800", [],
         {}, [[[[[]]]]], "1 9^9^9^9", {"a": {"b": {}}}, [1, "two"], "🦅", -0.0, 1e-320)


def paths_in(value, path=()):
    """Every place of a JSON value."""
    yield path
    for key, inner in value.items() if isinstance(
            value, dict) else enumerate(value[:6]) if isinstance(value, list) else ():
        yield from paths_in(inner, (*path, key))


def mutated_json(value, rng):
    """A copy of a JSON value with one to three places changed, removed, added or swapped."""
    out = copy.deepcopy(value)
    for _ in range(rng.choice((1, 1, 1, 2, 3))):
        places = [p for p in paths_in(out) if p]
        if not places:
            return rng.choice(NASTY)
        place = rng.choice(places)
        holder = out
        for key in place[:-1]:
            holder = holder[key]
        kind = rng.random()
        if kind < 0.2 and isinstance(holder, dict):
            del holder[place[-1]]
        elif kind < 0.3 and isinstance(holder, dict):
            holder[rng.choice(("surplus", "", "__class__", "step", "kind"))] = rng.choice(NASTY)
        elif kind < 0.4:
            other = rng.choice(places)
            source = out
            try:
                for key in other:
                    source = source[key]
            except (KeyError, IndexError, TypeError):
                continue
            holder[place[-1]] = copy.deepcopy(source)
        else:
            holder[place[-1]] = rng.choice(NASTY)
    return out


def as_document(value):
    """JSON text of a value, whatever is in it."""
    return json.dumps(value).encode()


def mutated_bytes(data, rng):
    """Bytes with a stretch cut off, flipped, doubled or replaced by noise."""
    data = bytearray(data)
    kind = rng.randrange(6)
    at = rng.randrange(max(len(data), 1))
    if kind == 0:
        return bytes(data[:at])
    if kind == 1:
        for _ in range(rng.choice((1, 4, 40))):
            data[rng.randrange(len(data))] ^= 1 << rng.randrange(8)
        return bytes(data)
    if kind == 2:
        return bytes(data[:at] + data[at // 2:])
    length = rng.choice((1, 8, 200))
    if kind == 3:
        data[at:at + length] = random.Random(rng.random()).randbytes(length)
    elif kind == 4:
        data[at:at + length] = rng.choice(
            (b"\0", b"\xff", b"9", b"-", b" ", b"nan ", b"1e999 ", b"\xe9")) * length
    else:
        del data[at:at + length]
    return bytes(data)
