"""Refresh the front-end libraries in ventaris/web/static/vendor from the npm registry.

Run it by hand when a version below is changed.  It copies the files, their licences,
converts the text face for server-drawn pictures, and writes manifest.json with
versions and checksums; tests/web/test_vendor.py compares them.
"""
import hashlib
import json
import re
import shutil
import subprocess
import tempfile
from pathlib import Path

from fontTools.ttLib import TTFont

TARGET = Path(__file__).parents[1] / "ventaris/web/static/vendor"
WEIGHTS = {"barlow": (500, 600), "ibm-plex-sans": (400, 500, 600), "ibm-plex-mono": (400, 500)}
ICONS = (
    "play-fill pause-fill stop-fill skip-forward-fill arrow-clockwise arrow-counterclockwise plus-lg trash "
    "download upload "
    "sliders grid-3x3 bar-chart-line wind zoom-in zoom-out arrows-fullscreen lock unlock check-lg "
    "exclamation-triangle x-lg pencil "
    "copy chevron-right star star-fill crosshair layers image table file-earmark-text info-circle "
    "hourglass-split clock-history layout-split rulers water box-arrow-in-down archive").split()
PACKAGES = {
    "htmx.org": ("2.0.11", {"dist/htmx.min.js": "htmx/htmx.min.js", "LICENSE": "htmx/LICENSE"}),
    "bootstrap": ("5.3.9", {
        "dist/css/bootstrap.min.css": "bootstrap/bootstrap.min.css",
        "dist/js/bootstrap.bundle.min.js": "bootstrap/bootstrap.bundle.min.js", "LICENSE": "bootstrap/LICENSE"
    }), "bootstrap-icons": ("1.13.2", {"LICENSE": "icons/LICENSE"}),
    "plotly.js-cartesian-dist-min": ("4.1.1", {
        "plotly-cartesian.min.js": "plotly/plotly-cartesian.min.js", "LICENSE": "plotly/LICENSE"
    }), "three": ("0.169.0",
                  {"build/three.module.min.js": "three/three.module.min.js", "LICENSE": "three/LICENSE"}),
    **{
        f"@fontsource/{face}": ("5.3.0", {
            **{f"files/{face}-latin-{w}-normal.woff2": f"fonts/{face}-{w}.woff2"
               for w in weights},
            **{f"files/{face}-latin-ext-{w}-normal.woff2": f"fonts/{face}-ext-{w}.woff2"
               for w in weights}, "LICENSE": f"fonts/{face}-LICENSE"
        })
        for face, weights in WEIGHTS.items()
    }
}


def main():
    with tempfile.TemporaryDirectory() as folder:
        wanted = [f"{name}@{version}" for name, (version, _) in PACKAGES.items()]
        subprocess.run(
            ["npm", "install", "--silent", "--no-audit", "--ignore-scripts", "--prefix", folder, *wanted],
            check=True)
        shutil.rmtree(TARGET, ignore_errors=True)
        manifest = {}
        for name, (version, files) in PACKAGES.items():
            root = Path(folder) / "node_modules" / name
            licence = json.loads((root / "package.json").read_text()).get("license", "")
            entry = {"version": version, "licence": licence, "files": {}}
            for source, target in files.items():
                path = TARGET / target
                path.parent.mkdir(parents=True, exist_ok=True)
                shutil.copyfile(root / source, path)
                entry["files"][target] = hashlib.sha256(path.read_bytes()).hexdigest()
            manifest[name] = entry
        _picture_face(Path(folder), manifest)
        _icon_sheet(Path(folder), manifest)
        _chart_styles(manifest)
        (TARGET / "manifest.json").write_text(json.dumps(manifest, indent=1, sort_keys=True) + "\n")


def _picture_face(folder, manifest):
    """Matplotlib reads TrueType only: unpack the web font's first-generation file."""
    face = TTFont(folder / "node_modules/@fontsource/ibm-plex-sans/files/ibm-plex-sans-latin-400-normal.woff")
    face.flavor = None
    path = TARGET / "fonts/ibm-plex-sans-400.ttf"
    face.save(path)
    _enter(manifest, "@fontsource/ibm-plex-sans", path)


def _icon_sheet(folder, manifest):
    """One sheet with the icons in use, each as a symbol."""
    symbols = []
    for name in ICONS:
        svg = (folder / f"node_modules/bootstrap-icons/icons/{name}.svg").read_text()
        box, inner = re.search(r'viewBox="([^"]+)"', svg)[1], re.search(r"<svg[^>]*>(.*)</svg>", svg,
                                                                        re.S)[1].strip()
        symbols.append(f'<symbol id="{name}" viewBox="{box}">{inner}</symbol>')
    path = TARGET / "icons/icons.svg"
    path.write_text('<svg xmlns="http://www.w3.org/2000/svg">' + "\n".join(symbols) + "</svg>\n")
    _enter(manifest, "bootstrap-icons", path)


def _chart_styles(manifest):
    """The charts' own rules as a file: the content-security policy forbids them to write a style element."""
    bundle = (TARGET / "plotly/plotly-cartesian.min.js").read_text()
    block = re.search(r'\{("X,X div":.*?)\};', bundle, re.S)[1]
    rules = re.findall(r'"((?:X|Y)[^"]*)":(?:"([^"]*)"|\'([^\']*)\')', block)
    text = "\n".join(
        f"{selector.replace('X', '.js-plotly-plot .plotly').replace('Y', '.plotly-notifier')} "
        f"{{{one or two}}}"
        for selector, one, two in rules)
    path = TARGET / "plotly/plotly.css"
    path.write_text(text + "\n")
    _enter(manifest, "plotly.js-cartesian-dist-min", path)


def _enter(manifest, package, path):
    manifest[package]["files"][str(path.relative_to(TARGET))] = hashlib.sha256(path.read_bytes()).hexdigest()


if __name__ == "__main__":
    main()
