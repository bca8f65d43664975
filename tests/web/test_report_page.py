import re
import tempfile
import zlib
from pathlib import Path

from tests.marks import slow
from tests.web.client import WithClient, finished, store_run
from ventaris.cli import main
from ventaris.core.report.document import Bullets, Document, Heading, Listing, Paragraph, Table
from ventaris.core.report.html import to_html
from ventaris.core.report.pdf import to_pdf
from ventaris.store import archive, campaigns, reports, runs


def pages_of(pdf):
    """Number of pages of a PDF."""
    return len(re.findall(rb"/Type /Page\b(?!s)", pdf))


class ReportPage(WithClient):
    def setUp(self):
        super().setUp()
        self.first, _ = self.with_runs()
        other = campaigns.add_variant(self.db, self.campaign, "twin <&>", {"thickness": 0.11})
        store_run(self.db, self.campaign, other, self.point, finished())
        self.home = f"/campaigns/{self.campaign}"

    def test_the_words_are_kept_and_stand_in_the_report(self):
        answer = self.client.post(
            f"{self.home}/report", data={
                "answer": "Thin pays.\nBelow 0.5 of lift.", "method": "", "remarks": "<b>none</b>", "form":
                "html"
            })
        self.assertEqual(answer.location, f"{self.home}/report.html")
        page = self.text(f"{self.home}/report.html")
        self.assertIn("Thin pays.", page)
        self.assertIn("&lt;b&gt;none", page)
        self.assertIn("Thin pays.", self.text(f"{self.home}/report"))
        again = archive.import_campaign(self.db, archive.export_campaign(self.db, self.campaign))
        self.assertEqual(reports.words_of(campaigns.campaign(self.db, again))["remarks"], "<b>none</b>")

    def test_everything_is_in_it(self):
        answer = self.client.get(f"{self.home}/report.html")
        page = answer.get_data(as_text=True)
        for words in ("thin or thick?", "Usual aim: Least drag coefficient CD at cruise",
                      "A draw of base and", "All variants at all operating points", "twin &lt;&amp;&gt;",
                      "Flow and grid side by side", "Pressure coefficient Cp", "How it settled",
                      "Limits that apply", "To repeat it", "incidence = 2.0"):
            self.assertIn(words, page)
        self.assertGreater(page.count("data:image/png"), 6)
        self.assertIn("style-src 'unsafe-inline'", answer.headers["Content-Security-Policy"])
        self.assertNotIn("<script", page)

    @slow
    def test_pdf_and_one_run(self):
        for address in (f"{self.home}/report.pdf", f"/runs/{self.first}/report.pdf"):
            answer = self.client.get(address)
            self.assertEqual(answer.mimetype, "application/pdf")
            self.assertTrue(answer.data.startswith(b"%PDF"))
            self.assertIn(pages_of(answer.data), range(2, 12))
        page = self.text(f"/runs/{self.first}/report.html")
        self.assertIn("base at cruise", page)
        self.assertIn("Cells of the finest grid", page)
        self.assertIn(f'/runs/{self.first}/report.html', self.text(f"/runs/{self.first}"))

    def test_what_is_not_there_is_said(self):
        self.text(f"{self.home}/report.doc", 404)
        self.text("/runs/99/report.html", 404)
        empty = campaigns.add_campaign(self.db, "Empty")
        self.assertIn("nothing to rank", self.text(f"/campaigns/{empty}/report.html"))
        failed = runs.add_run(self.db, self.campaign, self.variant, self.point,
                              runs.run(self.db, self.first)["sheet"])
        runs.finish(self.db, failed, "failed", error="Cells blew up.")
        self.assertIn("Cells blew up.", self.text(f"/runs/{failed}/report.html"))
        long = self.client.post(f"{self.home}/report", data={"answer": "x" * 9000})
        self.assertEqual(long.status_code, 400)
        self.assertIn("9000 characters", long.get_data(as_text=True))

    def test_measured_data_are_laid_over(self):
        from ventaris.core.report.campaign import measured_curves
        tables = [{"name": "tunnel", "columns": {"x/c": [0.1, 0.2], "Cp": [-1.0, -0.5], "± Cp": [0.1, 0.1]}}]
        (curve, ) = measured_curves(tables)
        self.assertEqual((curve["name"], curve["error"]), ("tunnel: Cp", [0.1, 0.1]))

    @slow
    def test_the_command_writes_the_same(self):
        with tempfile.TemporaryDirectory() as folder:
            packed, out = Path(folder) / "c.zip", Path(folder) / "deep/report.html"
            packed.write_bytes(archive.export_campaign(self.db, self.campaign))
            self.assertEqual(main(["report", str(packed), str(out)]), 0)
            self.assertIn("A draw of base", out.read_text())
            self.assertEqual(main(["report", "Drone wing", str(out), "--data", self.folder, "--run", "1"]), 0)
            self.assertIn("base at cruise", out.read_text())
            for bad in (["Drone", str(out), "--data", self.folder], [str(packed), f"{folder}/r.txt"],
                        ["Drone wing", str(out), "--data", self.folder, "--run", "77"]):
                self.assertEqual(main(["report", *bad]), 2)


class Writers(WithClient):
    def test_long_tables_and_listings_break_over_pages(self):
        document = Document("Long", "Report", "2026-01-01")
        document.add(Heading("Rows"),
                     Table(("a", "b"), tuple((f"row {k}", "words " * 30) for k in range(120)), 1),
                     Bullets(("one", )), Paragraph("two\nlines", "note"),
                     Listing("\n".join(f"line {k} " + "x" * 90 for k in range(300)), "Sheet"), None)
        pdf = to_pdf(document)
        self.assertGreater(pages_of(pdf), 6)
        self.assertEqual(pdf, to_pdf(document))
        page = to_html(document)
        self.assertEqual(page.count("<tr>"), 121)

    def test_every_sign_has_its_glyph(self):
        signs = "−±α²³·°≤≥→×χβγνρμΔ…“”’–★"
        document = Document(signs, "", "")
        document.add(Paragraph(signs), Table((signs, ), ((signs, ), )))
        streams = re.findall(rb"stream\r?\n(.*?)endstream", to_pdf(document), re.DOTALL)
        self.assertTrue(streams)
        self.assertTrue(
            any(b"beginbfchar" in _inflated(s) or b"beginbfrange" in _inflated(s) for s in streams))


def _inflated(stream):
    try:
        return zlib.decompress(stream)
    except zlib.error:
        return stream
