"""Imported surfaces, kept once under a key of their content."""
from ..core.shapes.library import MARK, key_of, library
from .database import open_database, transaction


def keep_surface(database, name, packed):
    """Store packed bytes; returns the `source` that a part names them by."""
    key = key_of(packed)
    with transaction(database):
        database.execute(
            "INSERT INTO surface (key, name, data) VALUES (?, ?, ?) ON CONFLICT (key) DO UPDATE SET name = "
            "excluded.name",
            (key, name[:120], packed))
    return MARK + key


def all_surfaces(database):
    """(source, name) of every imported surface, newest first."""
    return [(MARK + row["key"], row["name"])
            for row in database.execute("SELECT key, name FROM surface ORDER BY created DESC")]


def surface_bytes(database, key):
    """Packed bytes, or None."""
    row = database.execute("SELECT data FROM surface WHERE key = ?", (key, )).fetchone()
    return bytes(row["data"]) if row else None


def sources_of(shape):
    """Keys of the imported surfaces that a shape section (as a dict) uses."""
    return [
        p["source"][len(MARK):] for p in shape.get("parts", [])
        if p.get("kind") == "surface" and p.get("source", "").startswith(MARK)
    ]


def serve_library(folder):
    """Let the program's parts find their imported surfaces in a data folder."""
    def fetch(key):
        database = open_database(folder, migrate=False)
        try:
            return surface_bytes(database, key)
        finally:
            database.close()

    library.fetch = fetch
