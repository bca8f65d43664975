"""Long answers take turns, and pages and the program's own files do not stand behind them."""
import tempfile
import threading
import unittest

from ventaris.web import turns
from ventaris.web.app import create_app
from ventaris.web.turns import takes_long


class Turns(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.app = create_app(folder.name)
        self.begun, self.go_on = threading.Semaphore(0), threading.Event()
        self.addCleanup(self.go_on.set)

        @takes_long
        def slow():
            self.begun.release()
            self.go_on.wait(60)
            return "drawn"

        self.app.add_url_rule("/slow", view_func=slow)
        self.answers = []

    def ask(self, address):
        def get():
            self.answers.append(self.app.test_client().get(address).status_code)

        thread = threading.Thread(target=get)
        thread.start()
        return thread

    def test_pages_and_files_are_answered_while_pictures_are_drawn(self):
        threads = [self.ask("/slow") for _ in range(4)]
        for _ in range(turns.AT_ONCE["long"]):
            self.assertTrue(self.begun.acquire(timeout=60))
        self.assertFalse(self.begun.acquire(timeout=0.2), "one more than allowed at a time is drawn")
        client = self.app.test_client()
        self.assertEqual(client.get("/").status_code, 200)
        with client.get("/static/css/ventaris.css") as answer:
            self.assertEqual(answer.status_code, 200)
        self.go_on.set()
        for thread in threads:
            thread.join(60)
        self.assertEqual(self.answers, [200] * 4)

    def test_a_turn_is_given_back_after_an_error(self):
        for _ in range(3 * turns.AT_ONCE["short"]):
            self.assertEqual(self.app.test_client().get("/runs/1").status_code, 404)
        self.assertEqual(self.app.test_client().get("/").status_code, 200)

    def test_who_waits_too_long_is_told(self):
        patience, turns.PATIENCE = turns.PATIENCE, 0.05
        self.addCleanup(setattr, turns, "PATIENCE", patience)
        threads = [self.ask("/slow") for _ in range(turns.AT_ONCE["long"])]
        for _ in threads:
            self.assertTrue(self.begun.acquire(timeout=60))
        answer = self.app.test_client().get("/slow")
        self.assertEqual(answer.status_code, 429)
        self.assertIn("Try again", answer.get_data(as_text=True))
        self.go_on.set()
        for thread in threads:
            thread.join(60)
