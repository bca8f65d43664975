"""Every field of every sheet at the ends of its interval and beyond: an answer in words, never a fault."""
import re

from tests.marks import EVERYTHING, slow
from tests.web.client import WithClient
from ventaris.core.sheet import SECTIONS_OF
from ventaris.core.sheet.fields import SheetSection
from ventaris.store import campaigns
from ventaris.web.sheets import ROW_MODELS

# Few large cells on bodies: their count is not looked for with every change.
SETUPS = {
    "section": {}, "nozzle": {}, "body": {"grid": {"surface_size": 0.4, "level": "coarse"}}, "noise": {
        "flow": {"model": "noise"}, "domain": {"kind": "open air"},
        "instruments": {"microphones": [{"name": "near", "x": 0.0, "r": 0.1}]}
    }
}
SHAPES = {"body": {"parts": [{"name": "block", "kind": "box", "length": 4, "width": 1.8, "height": 1.4}]}}


def fields_of(space):
    """(section, form name, declaration, what a new row's other fields hold) of every field of a sheet."""
    for section, model in SECTIONS_OF[space].items():
        for name, info in model.model_fields.items():
            if isinstance(info.annotation, type) and issubclass(info.annotation, SheetSection):
                yield from ((section, f"{section}.{name}.{key}", info.annotation.meta(key), {})
                            for key in info.annotation.model_fields)
            elif model.meta(name).get("kind") in ("number", "choice"):
                yield section, f"{section}.{name}", model.meta(name), {}
    for path, model in ROW_MODELS[space].items():
        simple = [
            key for key in model.model_fields if model.meta(key).get("kind") in ("number", "choice", "text")
        ]
        row = {
            f"{path}.count": "1",
            **{f"{path}[].{key}": _words(key, model.model_fields[key].default)
               for key in simple}
        }
        yield from ((path.split(".")[0], f"{path}[].{key}", model.meta(key), row) for key in simple)


def _words(key, default):
    return "" if default is None else str(default) or ("r1" if key == "name" else "")


def extremes(meta):
    """What may be typed into a field, and whether it can be refused as no such value at once."""
    if meta["kind"] == "choice":
        return [*((value, False) for value in meta["options"]), ("nonsense", True)]
    if meta["kind"] == "text":
        return [("x" * 500, True), ("<b>&\"'", False)]
    ends = [meta["low"], meta["high"], None if meta["above"] is None else meta["above"] + 1e-9]
    return [
        *((f"{end!r}", False) for end in ends if end is not None), ("3 apples", True), ("1e400", True),
        ("nan", True)
    ]


@slow
class Extremes(WithClient):
    def sheet_of(self, what):
        space = "nozzle" if what == "noise" else what
        campaign = campaigns.add_campaign(self.db, what, "", SETUPS[what], space=space)
        variant = campaigns.add_variant(self.db, campaign, "base", SHAPES.get(what, {}))
        point = campaigns.add_point(
            self.db, campaign, "point",
            {"motion": "mach", "mach": 0.3} if space != "nozzle" else {"total_pressure": 2.2e5})
        return space, f"/sheet/{variant}/{point}"

    def try_all(self, what):
        space, url = self.sheet_of(what)
        for number, (section, name, meta, row) in enumerate(fields_of(space)):
            # Three views of every body would take most of the time.
            drawn = "run" if what == "body" and section == "shape" else section
            # Every other value, unless all is checked; bodies are drawn anew with every change.
            every = 1 if EVERYTHING else 3 if what == "body" else 2
            for value, refused in extremes(meta)[number % every::every]:
                with self.subTest(field=name, value=value[:20]):
                    answer = self.client.post(f"{url}/drawing/{drawn}", data={**row, name: value})
                    words = re.sub(r"<[^>]*>", " ", answer.get_data(as_text=True))
                    self.assertEqual(answer.status_code, 200)
                    if refused:
                        # The answer names the field.
                        self.assertIn(re.split(r"\.|\[\]", name)[-1] + " = ", words)
                    else:
                        self.assertNotRegex(words, r"\b(nan|inf)\b")

    def test_sections(self):
        self.try_all("section")

    def test_nozzles(self):
        self.try_all("nozzle")

    def test_noise(self):
        self.try_all("noise")

    def test_bodies(self):
        self.try_all("body")
