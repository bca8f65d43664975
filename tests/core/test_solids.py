"""Solid models in STEP: parts, places, names, units, and what is damaged."""
import io
import os
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from tests.marks import slow
from ventaris.core.formats.surfaces import read_surface
from ventaris.core.shapes.surface import SurfaceError, inspect


def cart():
    """A STEP file in millimetres: a crate and one wheel, placed twice."""
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCylinder
    from OCP.Message import Message
    from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt, gp_Trsf, gp_Vec
    from OCP.STEPCAFControl import STEPCAFControl_Writer
    from OCP.STEPControl import STEPControl_AsIs
    from OCP.TCollection import TCollection_ExtendedString
    from OCP.TDataStd import TDataStd_Name
    from OCP.TDocStd import TDocStd_Document
    from OCP.TopLoc import TopLoc_Location
    from OCP.XCAFDoc import XCAFDoc_DocumentTool
    Message.DefaultMessenger_s().ChangePrinters().Clear()
    document = TDocStd_Document(TCollection_ExtendedString("cart"))
    tool = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    crate = tool.AddShape(BRepPrimAPI_MakeBox(1000.0, 400.0, 300.0).Shape(), False)
    axle = gp_Ax2(gp_Pnt(0, 0, 0), gp_Dir(0, 1, 0))
    wheel, cart_ = tool.AddShape(BRepPrimAPI_MakeCylinder(axle, 100.0, 60.0).Shape(), False), tool.NewShape()
    for label, name in ((crate, "crate"), (wheel, "wheel"), (cart_, "cart")):
        TDataStd_Name.Set_s(label, TCollection_ExtendedString(name))
    for part, x, y in ((crate, 0, 0), (wheel, 200, -80), (wheel, 800, -80)):
        move = gp_Trsf()
        move.SetTranslation(gp_Vec(x, y, 0 if part is wheel else 100))
        tool.AddComponent(cart_, part, TopLoc_Location(move))
    tool.UpdateAssemblies()
    writer, out = STEPCAFControl_Writer(), io.BytesIO()
    writer.SetNameMode(True)
    writer.Transfer(document, STEPControl_AsIs)
    writer.WriteStream(out)
    return out.getvalue()


class Solids(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.file = cart()
        cls.surface = read_surface(cls.file, "step")

    def test_parts_come_in_metres_where_the_assembly_puts_them(self):
        surface = self.surface
        self.assertEqual(surface.parts, ("crate", "wheel", "wheel 2"))
        self.assertEqual(surface.patches, surface.parts)
        np.testing.assert_allclose(surface.volume, [0.12, *2 * [np.pi * 0.1**2 * 0.06]], rtol=5e-4)
        first, second = (surface.only(surface.part == k).box for k in (1, 2))
        np.testing.assert_allclose(second - first, [[0.6, 0, 0]] * 2, atol=1e-9)
        np.testing.assert_allclose(first.mean(axis=0), [0.2, -0.05, 0.0], atol=1e-4)

    def test_solids_are_closed_and_their_outside_is_outside(self):
        found = inspect(self.surface)
        self.assertEqual((found.open_edges, found.flipped_edges, found.inside_out_parts), (0, 0, ()))

    @slow
    def test_another_unit_is_the_same_model(self):
        text = self.file.decode()
        self.assertIn("SI_UNIT(.MILLI.,.METRE.)", text)
        text = text.replace("SI_UNIT(.MILLI.,.METRE.)", "SI_UNIT($,.METRE.)")
        in_metres = read_surface(text.encode(), "stp")
        np.testing.assert_allclose(in_metres.size, 1000 * self.surface.size, rtol=1e-4)

    @slow
    def test_faces_with_a_name_become_surfaces(self):
        text = self.file.decode()
        named = text.replace("ADVANCED_FACE(''", "ADVANCED_FACE('front'", 1)
        self.assertNotEqual(named, text)
        surface = read_surface(named.encode(), "step")
        self.assertEqual(surface.patches, ("front", "crate", "wheel", "wheel 2"))
        self.assertAlmostEqual(float(surface.areas[surface.patch == 0].sum()), 0.4 * 0.3)

    def test_a_machine_without_the_kernels_libraries_is_told_what_it_lacks(self):
        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / "OCP").mkdir()
            (Path(folder) / "OCP/__init__.py").write_text("raise ImportError('libGL.so.1: cannot open')")
            with mock.patch.dict(os.environ, {"PYTHONPATH": folder}), self.assertRaisesRegex(
                    SurfaceError, "apt-get install libgl1 libx11-6"):
                read_surface(self.file, "step")

    @slow
    def test_what_is_no_step_file_is_told(self):
        empty = b"ISO-10303-21;\nHEADER;\nENDSEC;\nDATA;\nENDSEC;\nEND-ISO-10303-21;\n"
        for data, words in ((b"solid ascii", "does not begin with ISO-10303-21"), (empty[:22], "damaged"),
                            (self.file[:len(self.file) // 2], "damaged"), (empty, "STEP")):
            with self.assertRaisesRegex(SurfaceError, words):
                read_surface(data, "step")
