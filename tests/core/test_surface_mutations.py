"""Damaged surface files: read, or refused with words and a mend, in bounded time and memory."""
import json
import random
import resource
import struct
import unittest

import numpy as np
import trimesh

from tests.marks import EVERYTHING
from tests.mutation import mutated_bytes, mutated_json
from ventaris.core.formats.surfaces import read_surface
from ventaris.core.shapes.surface import SurfaceError, inspect
from ventaris.core.shapes.voids import without_voids


def files():
    """A small closed surface in every format, text and binary."""
    ball = trimesh.creation.icosphere(subdivisions=1)
    stl = ball.export(file_type="stl")
    text = ball.export(file_type="stl_ascii")
    return {
        "stl": stl, "text stl": (text if isinstance(text, bytes) else text.encode()),
        "obj": ball.export(file_type="obj").encode(), "ply": ball.export(file_type="ply"),
        "text ply": ball.export(file_type="ply", encoding="ascii"),
        "glb": trimesh.Scene({"ball": ball}).export(file_type="glb")
    }


def glb(scene, binary=b"\0" * 64):
    """A GLB of a description and bytes."""
    text = json.dumps(scene).encode()
    text += b" " * (-len(text) % 4)
    return struct.pack("<4sII", b"glTF", 2, 20 + len(text) + 8 + len(binary)) + struct.pack(
        "<I4s", len(text), b"JSON") + text + struct.pack("<I4s", len(binary), b"BIN\0") + binary


class Damaged(unittest.TestCase):
    def offer(self, data, kind, what):
        try:
            surface = read_surface(data, kind)
        except SurfaceError as error:
            self.assertGreater(len(str(error)), 25, what)
            self.assertRegex(str(error), r"[Ee]xport|[Ss]implify|[Jj]oin|[Ff]latten|kind", what)
            self.assertNotIn("charset", str(error), what)
            return None
        # What is read can be used.
        self.assertTrue(np.isfinite(surface.vertices).all(), what)
        self.assertLess(surface.triangles.max(), len(surface.vertices), what)
        inspect(without_voids(surface)[0])
        return surface

    def test_whole_ones_are_read(self):
        for name, data in files().items():
            with self.subTest(name):
                self.assertEqual(len(self.offer(data, name.split()[-1], name).triangles), 80)

    def test_with_bytes_changed(self):
        rng = random.Random(36)
        sources = files()
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        for number in range(6000 if EVERYTHING else 500):
            name = rng.choice(list(sources))
            self.offer(mutated_bytes(sources[name], rng), name.split()[-1], f"{number} {name}")
        self.assertLess(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before, 1_000_000)

    def test_scenes_with_any_place_changed(self):
        rng = random.Random(38)
        data = files()["glb"]
        length = struct.unpack_from("<I", data, 12)[0]
        scene, binary = json.loads(data[20:20 + length]), data[28 + length:]
        for number in range(2000 if EVERYTHING else 200):
            self.offer(glb(mutated_json(scene, rng), binary), "glb", f"scene {number}")

    def test_letters_and_lengths(self):
        sources = files()
        latin = sources["text stl"].replace(b"solid", "solid Fl\u00fcgel".encode("latin-1"), 1)
        self.assertEqual(len(self.offer(latin, "stl", "Latin-1 STL").triangles), 80)
        latin = "# Fl\u00fcgel\no Fl\u00fcgel\n".encode("latin-1") + sources["obj"]
        self.assertEqual(len(self.offer(latin, "obj", "Latin-1 OBJ").triangles), 80)
        with self.assertRaisesRegex(SurfaceError,
                                    "says that it holds 80 triangles, but there are only 59.*cut off"):
            read_surface(sources["stl"][:-1020], "stl")
        self.assertEqual(len(read_surface(sources["stl"] + b"\0" * 777, "stl").triangles), 80)

    def test_headers_that_ask_for_gigabytes(self):
        array = {"bufferView": 0, "componentType": 5126, "type": "VEC3", "count": 500_000_000}
        mesh = {"primitives": [{"attributes": {"POSITION": 0}}]}
        base = {
            "asset": {"version": "2.0"}, "buffers": [{"byteLength": 64}],
            "bufferViews": [{"buffer": 0,
                             "byteLength": 64}], "meshes": [mesh], "scenes": [{"nodes": [0]}], "scene": 0
        }
        with self.assertRaisesRegex(SurfaceError, "array of 500000000"):
            read_surface(glb({**base, "accessors": [array], "nodes": [{"mesh": 0}]}), "glb")
        with self.assertRaisesRegex(SurfaceError, "without end"):
            read_surface(
                glb({**base, "accessors": [{**array, "count": 3}], "nodes": [{"mesh": 0, "children": [0]}]}),
                "glb")
        twice = [{"children": [k + 1, k + 1]} for k in range(30)] + [{"mesh": 0}]
        with self.assertRaisesRegex(SurfaceError, "without end|instances"):
            read_surface(glb({**base, "accessors": [{**array, "count": 3}], "nodes": twice}), "glb")
        with self.assertRaisesRegex(SurfaceError, "not so many"):
            read_surface(
                b"ply\nformat binary_little_endian 1.0\nelement vertex 900000000\nproperty float x\nproperty "
                b"float y\nproperty float z\nend_header\n"
                + b"\0" * 99, "ply")
        with self.assertRaisesRegex(SurfaceError, "names corner 9|cannot be read"):
            read_surface(
                b"ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty "
                b"float z\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n"
                b"0 0 0\n1 0 0\n0 1 0\n3 0 1 9\n", "ply")


if __name__ == "__main__":
    unittest.main()
