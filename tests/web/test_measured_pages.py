import io
import json

from tests.web.client import WithClient
from ventaris.store import archive, measured

TABLE = b"alpha;CL;CL uncertainty;counts\n2;0.30;0.02;100\n4;0.50;0.02;200\n"


class Measured(WithClient):
    def setUp(self):
        super().setUp()
        self.first, _ = self.with_runs()
        answer = self.client.post(f"/campaigns/{self.campaign}/measured",
                                  data={"file": (io.BytesIO(TABLE), "tunnel.csv"), "run": str(self.first)})
        self.table = int(answer.location.split("table=")[1])
        self.url = f"/measured/{self.table}"

    def say(self, status=302, **form):
        columns = [("x", "1", ""), ("value", "1", "lift"), ("error", "1", ""), ("value", "1e-4", "drag")]
        whole = {
            f"{name}.{k}": text
            for k, row in enumerate(columns)
            for name, text in zip(("role", "factor", "channel"), row)
        }
        answer = self.client.post(self.url, data={"name": "tunnel", **whole, **form})
        self.assertEqual(answer.status_code, status)
        return answer.get_data(as_text=True)

    def test_what_the_columns_are_is_kept_and_lies_over_polars(self):
        page = self.text(self.url)
        self.assertIn("uncertainty of the value before it", page)
        self.say()
        data = json.loads(self.text(f"/campaigns/{self.campaign}/map.json"))
        laid = {one["chart"]: one for one in data["measured"]}
        self.assertEqual(laid["lift"]["error"], [0.02, 0.02])
        self.assertEqual(laid["drag"]["y"], [0.01, 0.02])
        # Lift over drag: both were measured.
        self.assertEqual((laid["polar"]["x"], laid["polar"]["y"]), ([0.01, 0.02], [0.3, 0.5]))
        again = archive.import_campaign(self.db, archive.export_campaign(self.db, self.campaign))
        (table, ) = measured.measured_of(self.db, again)
        self.assertEqual(table["about"]["counts"], ["value", 1e-4, "drag"])

    def test_deviations_stand_under_the_curves(self):
        answer = self.client.post(
            f"/campaigns/{self.campaign}/measured",
            data={"file": (io.BytesIO(b"x,cp\n0.3,-0.6\n0.5,-0.4\n"), "taps.csv"), "run": str(self.first)})
        table = answer.location.split("table=")[1]
        data = json.loads(
            self.text(f"/campaigns/{self.campaign}/curves.json?run={self.first}&what=cp&table={table}"))
        (found, ) = data["deviations"]
        self.assertEqual((found["points"], found["within"]), (2, None))
        self.assertLess(found["rms"], 1.0)
        self.assertIn("Columns of taps", self.text(f"/campaigns/{self.campaign}/curves?table={table}"))

    def test_bad_input_is_named_and_stays(self):
        for form, words in (({"role.0": "value"}, "x: choose the one column"),
                            ({"factor.1": "0"}, "0 leaves nothing"), ({"factor.3":
                                                                       "tenfold"}, "factor of “counts”"),
                            ({"role.1": "", "role.3": ""}, "at least one column that was measured")):
            with self.subTest(words):
                self.assertIn(words, self.say(400, **form))
        self.assertIn("nothing at this address", self.text("/measured/99", 404))
