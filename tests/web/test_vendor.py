import hashlib
import json
import unittest
from pathlib import Path

VENDOR = Path(__file__).parents[2] / "ventaris/web/static/vendor"


class Vendored(unittest.TestCase):
    def test_every_file_is_in_the_manifest_with_its_checksum(self):
        manifest = json.loads((VENDOR / "manifest.json").read_text())
        listed = {}
        for package in manifest.values():
            self.assertTrue(package["version"] and package["licence"])
            listed |= package["files"]
        present = {str(p.relative_to(VENDOR)) for p in VENDOR.rglob("*") if p.is_file()} - {"manifest.json"}
        self.assertEqual(set(listed), present)
        for name, digest in listed.items():
            self.assertEqual(hashlib.sha256((VENDOR / name).read_bytes()).hexdigest(), digest, name)

    def test_each_library_brings_its_licence(self):
        manifest = json.loads((VENDOR / "manifest.json").read_text())
        for name, package in manifest.items():
            self.assertTrue(any("LICENSE" in f for f in package["files"]), name)
