"""Edits of sheets are taken back and made again, by cell, and survive a restart."""
import unittest

from tests.web.client import WithClient
from ventaris.store import campaigns, edits


class Undo(WithClient):
    def setUp(self):
        super().setUp()
        self.campaign = campaigns.add_campaign(self.db, "Ridge mast", "which is thinner?", {})
        self.variant = campaigns.add_variant(self.db, self.campaign, "Oval", {})
        self.other = campaigns.add_variant(self.db, self.campaign, "Thick", {"thickness": 0.2})
        self.point = campaigns.add_point(self.db, self.campaign, "10 m/s", {})

    def edit(self, variant=None, **fields):
        variant = variant or self.variant
        form = {name.replace("__", "."): value for name, value in fields.items()}
        answer = self.client.post(f"/sheet/{variant}/{self.point}", data=form)
        self.assertEqual(answer.status_code, 200)
        return answer.text

    def step(self, which, variant=None):
        answer = self.client.post(f"/sheet/{variant or self.variant}/{self.point}/{which}")
        self.assertIn(answer.status_code, (302, 409))
        return answer

    def thickness(self, variant=None):
        return campaigns.variant(self.db, variant or self.variant)["shape"]["thickness"]

    def test_edits_of_all_parts_of_a_sheet_go_back_in_their_order(self):
        self.edit(shape__thickness="0.15")
        self.edit(air__incidence="3")
        said = self.edit(grid__level="coarse")
        self.assertRegex(said, r"Undo: [^\"]+ → coarse")
        self.step("undo")
        self.assertNotEqual(campaigns.campaign(self.db, self.campaign)["setup"]["grid"]["level"], "coarse")
        self.step("undo")
        self.assertEqual(campaigns.point(self.db, self.point)["air"]["incidence"], 0)
        self.step("undo")
        self.assertEqual(self.thickness(), 0.12)
        # Nothing more: the page says so, and nothing happens.
        self.assertIn('data-step="undo" disabled', self.text(f"/sheet/{self.variant}/{self.point}"))
        self.step("undo")
        for _ in range(3):
            self.step("redo")
        self.assertEqual(self.thickness(), 0.15)
        self.assertEqual(campaigns.point(self.db, self.point)["air"]["incidence"], 3)
        self.assertEqual(campaigns.campaign(self.db, self.campaign)["setup"]["grid"]["level"], "coarse")

    def test_another_variants_edits_are_not_this_ones(self):
        self.edit(shape__thickness="0.15")
        self.edit(self.other, shape__thickness="0.25")
        self.step("undo")
        self.assertEqual((self.thickness(), self.thickness(self.other)), (0.12, 0.25))
        # A new edit of the same shape ends what could be made again.
        self.edit(shape__thickness="0.13")
        self.step("redo")
        self.assertEqual(self.thickness(), 0.13)

    def test_a_setting_of_one_cell_goes_back_too(self):
        self.edit(flow__model="laminar", scope="cell")
        found = campaigns.campaign(self.db, self.campaign)
        self.assertTrue(campaigns.exceptions_of(found))
        self.step("undo")
        self.assertFalse(campaigns.exceptions_of(campaigns.campaign(self.db, self.campaign)))

    def test_what_changed_in_another_way_is_not_overwritten(self):
        self.edit(shape__thickness="0.15")
        variant = campaigns.variant(self.db, self.variant)
        self.db.execute("UPDATE variant SET shape = ? WHERE id = ?",
                        (self.db.execute("SELECT shape FROM variant WHERE id = ?",
                                         (self.other, )).fetchone()[0], self.variant))
        answer = self.step("undo")
        self.assertEqual(answer.status_code, 409)
        self.assertEqual(self.thickness(), 0.2)
        self.assertEqual(variant["shape"]["thickness"], 0.15)

    def test_only_so_many_are_kept(self):
        for k in range(edits.MOST_KEPT + 5):
            revision = campaigns.variant(self.db, self.variant)["revision"]
            campaigns.save_shape(self.db, self.variant, revision, f"Oval {k}", {})
        self.assertEqual(self.db.execute("SELECT count(*) FROM edit").fetchone()[0], edits.MOST_KEPT)
        self.assertIn("name Oval 103 → Oval 104", edits.words(
            edits.to_undo(self.db, self.campaign, self.variant, self.point), "section"))


if __name__ == "__main__":
    unittest.main()
