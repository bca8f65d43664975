import unittest

from ventaris.core.sheet import (
    SECTIONS, SECTIONS_OF, SheetError, differing_inputs, read_sheet, read_toml, write_toml
)
from ventaris.core.sheet.fields import SheetSection, shown_when

FULL = """
format = 1
title = "dash"
[shape]
kind = "four-digit"
chord = "240 mm"
thickness = "12 %"
[shape.edits]
flap_deflection = "8 deg"
[air]
motion = "speed"
speed = "100 km/h"
altitude = "3000 ft"
[[instruments.probes]]
name = "wake"
x = 1.5
"""


class Reading(unittest.TestCase):
    def test_units_in_the_file(self):
        s = read_toml(FULL)
        self.assertAlmostEqual(s.shape.chord, 0.24)
        self.assertAlmostEqual(s.shape.thickness, 0.12)
        self.assertAlmostEqual(s.air.altitude, 914.4)
        self.assertEqual(s.instruments.probes[0].name, "wake")

    def test_writing_and_reading_give_the_same_sheet(self):
        for s in (read_sheet({"format": 1}), read_toml(FULL),
                  read_sheet({
                      "format": 1, "title": 'quote " and \\ ü',
                      "shape": {"kind": "coordinates", "points": [(1, 0), (0, 0.1), (0, -0.1), (1, 0)]}
                  })):
            again = read_toml(write_toml(s))
            self.assertEqual(differing_inputs(s, again), [])
            self.assertEqual(write_toml(again), write_toml(s))

    def test_set_overrides_a_field(self):
        s = read_toml(FULL, ["air.incidence=3 deg", "run.steps=20", "grid.level=coarse"])
        self.assertEqual((s.air.incidence, s.run.steps, s.grid.level), (3, 20, "coarse"))
        with self.assertRaisesRegex(SheetError, "path.to.field=value"):
            read_toml(FULL, ["air.incidence"])

    def test_each_mistake_names_field_value_and_mend(self):
        cases = {
            "air.incidence=90": r"air.incidence = 90: accepted: -30 to 30 °.*separated",
            "air.temperature=-5": r"air.temperature = -5: accepted: 10 to 3000 K.*absolute",
            "air.mach=0": r"air.mach = 0: accepted: more than 0 to 5",
            "shape.chord=0": r"shape.chord = 0: accepted: more than 0",
            "air.speed=3 kg": r"air.speed = 3 kg: .kg. is not a unit of speed",
            "wing.span=3": r"wing: this key is not known",
            "air.colour=red": r"air.colour: this key is not known",
            "grid.around=201": r"grid.around = 201: must be a multiple of 16.*208",
            "grid.level=finest": r"not one of: coarse, medium, fine",
            "air.altitude=93 km": r"air.altitude = 93 km.*86 km", "run.steps=2.5": r"run.steps",
            "shape.kind=coordinates": r"shape.points is empty",
            "shape.thickness=0.6": r"four-digit family ends at 0.4", "air.mach=": r"air.mach.*empty",
            "shape=3": "shape"
        }
        for setting, words in cases.items():
            with self.subTest(setting), self.assertRaisesRegex(SheetError, words):
                read_toml(FULL, [setting])

    def test_all_problems_come_at_once(self):
        with self.assertRaises(SheetError) as caught:
            read_toml(FULL, ["air.incidence=90", "shape.chord=0", "grid.layers=3"])
        self.assertEqual({path
                          for path, _ in caught.exception.problems},
                         {"air.incidence", "shape.chord", "grid.layers"})

    def test_rubbish_and_other_formats(self):
        for source in (b"\xff\xfe\x00", "not toml ["):
            with self.assertRaises(SheetError):
                read_toml(source)
        with self.assertRaisesRegex(SheetError, "format 1"):
            read_toml("format = 7")


class Declarations(unittest.TestCase):
    def test_every_field_has_a_label_and_a_default_inside_its_interval(self):
        def walk(model):
            for name, info in model.model_fields.items():
                if isinstance(info.annotation, type) and issubclass(info.annotation, SheetSection):
                    yield from walk(info.annotation)
                else:
                    yield model, name, info

        for section in SECTIONS.values():
            for model, name, info in walk(section):
                meta = model.meta(name)
                if meta.get("kind") == "number" and info.default is not None:
                    with self.subTest(f"{model.__name__}.{name}"):
                        self.assertTrue(meta["label"])
                        self.assertEqual(model._read_number(info.default, meta), info.default)

    def test_differing_inputs_ignore_fields_that_do_not_apply(self):
        one = read_sheet({"format": 1, "air": {"motion": "mach", "mach": 0.5, "speed": 10}})
        other = read_sheet({"format": 1, "air": {"motion": "mach", "mach": 0.5, "speed": 99}})
        self.assertEqual(differing_inputs(one, other), [])
        third = read_sheet({"format": 1, "air": {"motion": "mach", "mach": 0.6}})
        self.assertEqual([d[0] for d in differing_inputs(one, third)], ["air.mach"])


class Conditions(unittest.TestCase):
    def test_every_condition_names_a_choice_and_values_that_it_has(self):
        for space, sections in SECTIONS_OF.items():
            for section, model in sections.items():
                for field in model.model_fields:
                    meta = model.meta(field)
                    if meta.get("kind") not in ("number", "choice"):
                        continue
                    for name, allowed in ((n, a) for one in shown_when(section, meta)
                                          for n, a in one.items()):
                        asked, key = name.split(".")
                        asked_of = sections[asked].meta(key)
                        # Of a number a condition can only ask that it is not nought.
                        options = asked_of["options"] if asked_of["kind"] == "choice" else {"!0"}
                        self.assertLessEqual(set(allowed), set(options),
                                             f"{space}: {section}.{field} asks for {name}")

    def test_own_conditions_join_each_alternative_of_the_others(self):
        meta = {
            "when": {"kind": "open air"},
            "seen": [{"flow.model": "noise"}, {"flow.model": ("laminar", "turbulent"), "flow.closure": "sst"}]
        }
        self.assertEqual(shown_when("domain", meta), [{
            "domain.kind": ("open air", ), "flow.model": ("noise", )
        }, {"domain.kind": ("open air", ), "flow.model": ("laminar", "turbulent"), "flow.closure": ("sst", )}
                                                      ])
        self.assertEqual(shown_when("air", {"when": {}, "seen": {}}), [])
