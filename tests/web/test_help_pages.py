import re

from tests.web.client import WithClient
from ventaris.web import help as book


class Help(WithClient):
    def page(self, name):
        return self.text(f"/help/{name}")

    def test_every_link_and_picture_of_the_book_leads_somewhere(self):
        known = {}
        for name in book.BOOK:
            known[name] = set(re.findall(r'id="([^"]+)"', self.page(name)))
        for name in book.BOOK:
            page = self.page(name)
            for address in re.findall(r'<img src="(/help/[^"]+)"', page):
                with self.client.get(address) as answer:
                    self.assertEqual(answer.status_code, 200, address)
            for target, anchor in re.findall(r'href="(?:/help/([\w-]+))?(?:#([\w-]+))?"', page):
                target = target or name
                with self.subTest(f"{name}: {target}#{anchor}"):
                    self.assertIn(target, known)
                    self.assertTrue(not anchor or anchor in known[target] | {"content"})

    def test_every_screen_opens_it_at_a_place_that_is_there(self):
        for place in book.PLACES.values():
            name, _, anchor = place.partition("#")
            self.assertTrue(not anchor or f'id="{anchor}"' in self.page(name), place)
        for address, place in (("/", "using#a-first-answer"), (self.sheet_url, "using#the-sheet"),
                               (f"/campaigns/{self.campaign}/aim",
                                "using#the-aim"), ("/queue", "using#runs"), ("/nowhere", "using")):
            answer = self.client.get(address).get_data(as_text=True)
            self.assertIn(f'class="to-help" href="/help/{place}"', answer)

    def test_the_way_in_and_what_is_not_there(self):
        self.assertEqual(self.client.get("/help/").location, "/help/using")
        self.assertIn("no page “secrets”", self.text("/help/secrets", 404))
        self.assertEqual(self.client.get("/help/figures/..%2Fusing.md").status_code, 404)
        self.assertIn("<table>", self.page("validation"))
