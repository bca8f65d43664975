"""Damaged and crafted archives: refused in words with nothing stored, or taken and then every page still
answers."""
import io
import json
import random
import unittest
import zipfile

from tests.marks import EVERYTHING, slow
from tests.mutation import as_document, mutated_bytes, mutated_json
from tests.web.client import WithClient
from ventaris.demo.loader import RESULTS
from ventaris.store import archive, campaigns

# Small demo archives of every kind; of each only the first cell is kept.
SOURCES = ("2-vane.zip", "12-lance.zip", "9-skier.zip", "11-noise.zip", "7-shedding.zip")
TABLES = ("campaign", "variant", "operating_point", "run", "history", "stored_array", "surface", "measured",
          "search")


def parts_of(name, cells=1):
    """Parts of a demo archive with its first cells only."""
    with zipfile.ZipFile(RESULTS / name) as source:
        folders = sorted({n.rsplit("/", 1)[0] for n in source.namelist() if n.startswith("runs/")})[:cells]
        return {
            n: source.read(n)
            for n in source.namelist() if not n.startswith("runs/") or n.rsplit("/", 1)[0] in folders
        }


def packed(parts, method=zipfile.ZIP_DEFLATED):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", method) as target:
        for name, data in parts.items():
            target.writestr(name, data)
    return out.getvalue()


@slow
class CraftedArchives(WithClient):
    def counts(self):
        return [self.db.execute(f"SELECT count(*) FROM {table}").fetchone()[0]
                for table in TABLES]  # noqa: S608 - fixed names

    def offer(self, data, what):
        """Import; a refusal stores nothing and says why, what is taken can be shown."""
        before = self.counts()
        try:
            new = archive.import_campaign(self.db, data)
        except archive.ArchiveError as error:
            self.assertEqual(self.counts(), before, what)
            self.assertGreater(len(str(error)), 20, what)
            return None
        addresses = [
            "/", f"/campaigns/{new}", f"/campaigns/{new}/compare", f"/campaigns/{new}/searches",
            f"/campaigns/{new}/map"
        ]
        for row in self.db.execute("SELECT id FROM run WHERE campaign_id = ? AND study IS NULL LIMIT 2",
                                   (new, )).fetchall():
            addresses += [
                f"/runs/{row['id']}", f"/runs/{row['id']}/live", f"/runs/{row['id']}/flow",
                f"/runs/{row['id']}/report"
            ]
        addresses += [
            f"/searches/{row['id']}"
            for row in self.db.execute("SELECT id FROM search WHERE campaign_id = ?", (new, )).fetchall()
        ]
        for address in addresses:
            answer = self.client.get(address)
            self.assertLess(answer.status_code, 500,
                            f"{what}: {address}: {answer.get_data(as_text=True)[-600:]}")
        self.db.execute("DELETE FROM campaign WHERE id = ?", (new, ))
        return new

    def test_whole_ones_are_taken(self):
        for name in SOURCES:
            self.assertIsNotNone(self.offer(packed(parts_of(name)), name), name)

    def test_documents_with_any_place_changed(self):
        rng = random.Random(29)
        sources = [parts_of(name) for name in SOURCES]
        for parts in sources:
            # Arrays are not what is changed here, and cost time.
            for name in [n for n in parts if n.endswith(".npz") and not n.startswith("surfaces/")]:
                del parts[name]
        for number in range(4000 if EVERYTHING else 250):
            parts = dict(rng.choice(sources))
            name = rng.choice([n for n in parts if n.endswith(".json")])
            parts[name] = as_document(mutated_json(json.loads(parts[name]), rng))
            self.offer(packed(parts), f"document {number} {name}")

    def test_arrays_and_sheets_with_bytes_changed(self):
        rng = random.Random(31)
        sources = [parts_of(name) for name in SOURCES[:3]]
        for number in range(1000 if EVERYTHING else 60):
            parts = dict(rng.choice(sources))
            name = rng.choice([n for n in parts if not n.endswith(".json")])
            parts[name] = mutated_bytes(parts[name], rng)
            self.offer(packed(parts), f"bytes {number} {name}")

    def test_the_archive_itself_damaged(self):
        rng = random.Random(37)
        good = packed(parts_of("2-vane.zip"))
        for number in range(400 if EVERYTHING else 40):
            self.offer(mutated_bytes(good, rng), f"archive {number}")

    def test_crafted_ones_are_named(self):
        good = parts_of("2-vane.zip")
        run = next(n for n in good if n.endswith("run.json"))
        document, head = json.loads(good[run]), json.loads(good["campaign.json"])
        deep = "[" * 1000 + "]" * 1000
        huge = io.BytesIO()
        with zipfile.ZipFile(huge, "w", zipfile.ZIP_DEFLATED) as bomb:
            bomb.writestr("state.npy", b"\0" * 200_000_000)
        for changed, words in (({run: as_document(
            {**document, "result": None})}, "settled run without a result"), ({
                run: as_document({**document, "variant": 99})
            }, "variant 99"), ({run: as_document(
                {**document, "history": [{"lift": 1.0}]})}, "steps of its history"), ({
                    run: as_document({**document, "result": {**document["result"], "coefficients": {}}})
                }, "coefficients"), ({run: good[run].replace(b'"settled"', b'"running"',
                                                             1)}, "not that of an ended run|damaged"),
                               ({"campaign.json": as_document({**head, "question": 7})}, "question"), ({
                                   "campaign.json": as_document(
                                       {**head, "setup": {**head["setup"], "wings": {}}})
                               }, "wings"), ({"campaign.json": deep.encode()}, "nested|damaged"),
                               ({"campaign.json": as_document({**head, "name": "\ud800"})}, "character"),
                               ({run.replace("run.json", "field.npz"): b"\1" * 5000}, "field.npz"),
                               ({run.replace("run.json", "field.npz"): huge.getvalue()},
                                "unpacks to"), ({"surfaces/0123456789abcdef.npz": b"x"}, "surface")):
            before = self.counts()
            with self.subTest(words), self.assertRaisesRegex(archive.ArchiveError, words):
                archive.import_campaign(self.db, packed({**good, **changed}))
            self.assertEqual(self.counts(), before)
        with self.assertRaises(archive.ArchiveError):
            archive.import_campaign(self.db,
                                    packed({**good, "more.json": b"{}" * 10}, zipfile.ZIP_BZIP2)[:-200])

    def test_the_page_looks_them_over_in_a_process_of_its_own(self):
        answer = self.client.post("/campaigns/import", data={"archive": (io.BytesIO(b"rubbish"), "x.zip")},
                                  content_type="multipart/form-data")
        self.assertEqual(answer.status_code, 400)
        self.assertIn("not a campaign archive", answer.get_data(as_text=True))
        answer = self.client.post("/campaigns/import",
                                  data={"archive": (io.BytesIO(packed(parts_of("2-vane.zip"))), "x.zip")},
                                  content_type="multipart/form-data")
        self.assertEqual(answer.status_code, 302)
        self.assertEqual(len(campaigns.all_campaigns(self.db)), 2)


if __name__ == "__main__":
    unittest.main()
