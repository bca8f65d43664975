"""How arrays go to the browser: a header in JSON, the arrays behind it."""
import json
import struct


def packed(head, arrays):
    """Length of the header, the header padded to four bytes, then the arrays as they are, one after
    another."""
    text = json.dumps(head).encode()
    text += b" " * (-len(text) % 4)
    return b"".join([struct.pack("<I", len(text)), text, *(a.tobytes() for a in arrays)])
