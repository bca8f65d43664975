from tests.web.client import WithClient, finished, store_run
from ventaris.core.study.aim import Aim, Condition
from ventaris.store import archive, campaigns


class AimPage(WithClient):
    def setUp(self):
        super().setUp()
        self.with_runs()
        self.other = campaigns.add_variant(self.db, self.campaign, "twin", {"thickness": 0.11})
        store_run(self.db, self.campaign, self.other, self.point, finished())
        self.url = f"/campaigns/{self.campaign}/aim"
        self.home = f"/campaigns/{self.campaign}"

    def say(self, status=302, **form):
        answer = self.client.post(self.url, data={"quantity": "drag", "sense": "smallest", **form})
        self.assertEqual(answer.status_code, status)
        return answer.get_data(as_text=True)

    def test_the_usual_aim_is_told_and_twins_draw(self):
        page = self.text(self.home)
        self.assertIn("Usual aim: least drag coefficient CD at cruise", page)
        self.assertIn("A draw of base and twin", page)
        self.assertNotIn("By the aim", page)
        self.assertIn("a draw of <b>base</b> and <b>twin</b>", self.text("/"))

    def test_an_aim_of_its_own_ranks_everywhere(self):
        self.say(
            **{
                "quantity": "lift / drag", "sense": "largest", f"weight.{self.point}": "1",
                "condition.0.expression": "lift", "condition.0.kind": "at most", "condition.0.bound": "0.1",
                "condition.0.point": str(self.point), "reference.all.all": "50 ± 2"
            })
        page = self.text(self.home)
        self.assertIn("Aim: most lift / drag at cruise; while lift coefficient CL at most 0.1 at cruise",
                      page)
        self.assertIn("No variant holds every condition", page)
        self.assertIn("breaks a condition", page)
        self.assertIn("from the reference", page)
        form = self.text(self.url)
        self.assertIn('value="50 ± 2"', form)
        runs = [r["id"] for r in self.db.execute("SELECT id FROM run WHERE point_id = ?", (self.point, ))]
        compared = self.text(f"{self.home}/compare?run={runs[0]}&run={runs[1]}")
        self.assertIn("What the campaign is after:", compared)
        self.assertIn("from the reference", compared)
        search = self.text(f"{self.home}/searches/new")
        self.assertIn('value="lift / drag"', search)
        self.say(what="clear")
        self.assertIsNone(campaigns.aim_of(campaigns.campaign(self.db, self.campaign)))

    def test_the_shown_quantity_and_missing_points(self):
        self.say(quantity="lift", sense="largest")
        page = self.text(self.home)
        self.assertIn('<option value="lift" selected>', page)
        self.assertIn("missing: steep", page)

    def test_bad_input_names_the_field_and_stays(self):
        for form, words in (({"quantity": ""}, "quantity: say what it is about"),
                            ({"quantity":
                              "darg"}, "“darg”, which is not a channel"), ({f"weight.{self.point}": "much"},
                                                                           "weight of cruise: “much”"),
                            ({f"weight.{self.point}":
                              "-1"}, "a weight is above 0"), ({"condition.0.expression":
                                                               "lift"}, "bound of “lift”: it is missing"),
                            ({"sense":
                              "nearest"}, "needs a reference"), ({"reference.all.all":
                                                                  "0.1 ± x"}, "its uncertainty: “x”")):
            with self.subTest(words):
                page = self.say(400, **form)
                self.assertIn(words, page)
                for value in form.values():
                    self.assertIn(f'value="{value}"', page)

    def test_it_goes_through_an_archive(self):
        aim = Aim("drag", "nearest", (Condition("lift", "at least", 0.2, self.point), ), {self.point: 2.0},
                  {(self.other, self.point): (0.01, 0.001), (None, None): (0.02, None)})
        campaigns.save_aim(self.db, self.campaign, aim)
        before = self.text(self.home)
        again = archive.import_campaign(self.db, archive.export_campaign(self.db, self.campaign))
        found = campaigns.aim_of(campaigns.campaign(self.db, again))
        self.assertNotEqual(set(found.weights), set(aim.weights))
        self.assertEqual((found.quantity, list(found.weights.values())), ("drag", [2.0]))
        told = lambda page: page.split('class="outcome">')[1].split("<")[0]
        self.assertEqual(told(before), told(self.text(f"/campaigns/{again}")))
