"""Handing out runs: order, memory, lost workers, wishes, full disks, searches; with a crew that is played."""
import time
import unittest
from unittest import mock

from tests.sheets import COARSE, sheet
from tests.worker.crew_stand_in import StandIn
from tests.worker.test_worker import WithQueue
from ventaris.core.sheet import write_toml
from ventaris.core.study.search import Parameter, Plan
from ventaris.store import campaigns, place, runs, searches
from ventaris.store.database import DiskFull
from ventaris.worker.cluster import crew, dispatch
from ventaris.worker.cluster.dispatch import Dispatcher

DONE = ("finish", "settled", {"coefficients": {"lift": 1.0}, "seconds": 2.0}, "", "Settled")


class Played(WithQueue):
    def crew(self, **machines):
        self.played = StandIn(machines or {"one": (2, 24e3)})
        self.dispatcher = Dispatcher(self.db, self.played)
        return self.played

    def add(self, name, **more):
        point = campaigns.add_point(self.db, self.campaign, name, {})
        return runs.add_run(self.db, self.campaign, self.variant, point, write_toml(sheet(COARSE)), **more)

    def log(self, run_id):
        return " ".join(line for _, line in runs.log(self.db, run_id))


class HandingOut(Played):
    def test_each_worker_gets_one_run_in_the_order_of_the_queue(self):
        long, one, two = (self.add(n, estimate=e) for n, e in (("a", 900.0), ("b", 25.0), ("c", 25.0)))
        played = self.crew()
        self.dispatcher.turn()
        self.assertEqual(sorted(t["id"] for t in played.tasks.values()), [one, two])
        self.assertEqual({t["threads"] for t in played.tasks.values()}, {1})
        played.say(one, ("record", [{"step": 1}], {"share": 0.5, "left": 3}, "half"))
        self.dispatcher.turn()
        self.assertEqual(runs.run(self.db, one)["progress"]["share"], 0.5)
        self.assertEqual(runs.history(self.db, one), [{"step": 1}])
        played.say(one, ("keep", "field", b"picture"), DONE)
        self.dispatcher.turn()
        self.assertEqual(self.state(one), "settled")
        self.assertEqual(runs.kept_array(self.db, one, "field"), b"picture")
        self.assertEqual({t["id"] for t in played.tasks.values()}, {two, long})
        self.assertIn("Given to the worker tcp://one:", self.log(one))

    def test_what_does_not_fit_together_is_not_begun_together(self):
        large, other, small = (self.add(n, estimate=20.0, memory_mb=mb)
                               for n, mb in (("a", 15e3), ("b", 15e3), ("c", 500.0)))
        played = self.crew(one=(2, 20e3))
        self.dispatcher.turn()
        self.assertEqual(sorted(t["id"] for t in played.tasks.values()), [large, small])
        # Past its turn, the machine is kept for it.
        self.add("d", estimate=20.0, memory_mb=500.0)
        self.db.execute("UPDATE run SET turn = ? WHERE id = ?", (time.time() - 2 * dispatch.HOLD, other))
        played.say(small, DONE)
        self.dispatcher.turn()
        self.assertEqual([t["id"] for t in played.tasks.values()], [large])
        played.say(large, DONE)
        self.dispatcher.turn()
        self.assertIn(other, [t["id"] for t in played.tasks.values()])

    def test_a_run_larger_than_all_gets_an_idle_machine(self):
        giant = self.add("a", memory_mb=900e3)
        played = self.crew(one=(1, 20e3))
        self.dispatcher.turn()
        self.assertEqual([t["id"] for t in played.tasks.values()], [giant])

    def test_workers_of_another_program_get_nothing(self):
        self.add("a")
        played = self.crew(one=(1, 20e3))
        next(iter(played.there.values())).problem = "It has another version of Ventaris."
        self.dispatcher.turn()
        self.assertFalse(played.tasks)
        self.assertIn("another version", place.crew(self.db)["workers"][0]["problem"])

    def test_a_long_run_makes_way_where_no_worker_is_free(self):
        long = self.add("long", estimate=3600.0)
        played = self.crew(one=(1, 20e3))
        self.dispatcher.turn()
        played.say(long, ("record", [], {"share": 0.1, "left": 3000.0}, ""))
        self.add("short", estimate=5.0)
        self.dispatcher.turn()
        self.assertIn((played.at(long)[0], "way"), played.told)
        played.say(long, ("put_back", "Makes way for a shorter run; goes on from here afterwards"))
        self.dispatcher.turn()
        self.assertEqual(self.state(long), "waiting")
        self.assertEqual(len(played.tasks), 1)

    def test_traffic_is_shared_by_all_workers(self):
        few, many = crew.traffic(2), crew.traffic(500)
        self.assertEqual(few["record_every"], crew.RECORD_EVERY)
        self.assertAlmostEqual(500 / many["record_every"], crew.RECORDS_PER_SECOND)
        self.assertAlmostEqual(500 * many["bytes_per_second"], crew.BYTES_PER_SECOND)


    def test_the_next_short_run_lies_ready_at_its_worker(self):
        ids = [self.add(name, estimate=2.0) for name in "abcde"]
        played = self.crew()
        self.dispatcher.turn()
        self.dispatcher.turn()
        self.assertEqual(sorted(t["id"] for t in played.tasks.values()), ids[:4])
        self.assertEqual(len({t["address"] for t in played.tasks.values()}), 2)
        played.say(ids[0], DONE)
        self.dispatcher.turn()
        self.assertEqual(sorted(t["id"] for t in played.tasks.values()), ids[1:])


class Losing(Played):
    def test_the_run_of_a_lost_worker_goes_to_another(self):
        run_id = self.add("a")
        played = self.crew(one=(1, 20e3), two=(1, 20e3))
        self.dispatcher.turn()
        token, task = played.at(run_id)
        played.say(run_id, ("keep", "checkpoint", b"half way"))
        self.dispatcher.turn()
        del played.there[task["address"]]
        self.dispatcher.turn()
        other, again = played.at(run_id)
        self.assertNotEqual(again["address"], task["address"])
        self.assertEqual(again["checkpoint"], b"half way")
        self.assertIn("is lost; the run goes on from its last checkpoint", self.log(run_id))
        # What the lost one still says is not heard.
        played.line.append((token, [DONE]))
        self.dispatcher.turn()
        self.assertEqual(self.state(run_id), "gridding")
        played.say(run_id, DONE)
        self.dispatcher.turn()
        self.assertEqual(self.state(run_id), "settled")

    def test_a_run_that_kills_its_workers_is_given_up(self):
        run_id = self.add("a")
        played = self.crew(one=(9, 20e3))
        for _ in range(runs.MOST_ATTEMPTS):
            self.dispatcher.turn()
            del played.there[played.at(run_id)[1]["address"]]
        self.dispatcher.turn()
        self.assertEqual(self.state(run_id), "failed")
        self.assertIn("want of memory", runs.run(self.db, run_id)["error"])

    def test_what_lay_ready_has_no_part_in_the_end_of_its_worker(self):
        one, two = self.add("a", estimate=2.0), self.add("b", estimate=2.0)
        played = self.crew(one=(1, 20e3))
        self.dispatcher.turn()
        self.dispatcher.turn()
        played.say(one, ("record", [], {"left": 1.0}, ""))
        self.dispatcher.turn()
        played.there.clear()
        self.dispatcher.turn()
        self.assertEqual([runs.run(self.db, run)["attempts"] for run in (one, two)], [1, 0])
        self.assertEqual([self.state(run) for run in (one, two)], ["waiting", "waiting"])

    def test_a_task_that_breaks_without_last_words_is_given_to_another(self):
        run_id = self.add("a")
        played = self.crew()
        self.dispatcher.turn()
        token, _ = played.at(run_id)
        played.over[token] = "KilledWorker"
        self.dispatcher.turn()
        self.assertIn(token, played.tasks)
        with mock.patch.object(dispatch, "LAST_WORDS", 0.0):
            self.dispatcher.turn()
        self.assertNotIn(token, played.tasks)
        self.assertIn("KilledWorker", self.log(run_id))

    def test_a_full_disk_loses_nothing(self):
        run_id = self.add("a")
        played = self.crew()
        self.dispatcher.turn()
        played.say(run_id, DONE)
        with mock.patch.object(runs, "finish", side_effect=DiskFull("full")), self.assertRaises(DiskFull):
            self.dispatcher.turn()
        self.assertEqual(self.state(run_id), "gridding")
        self.dispatcher.turn()
        self.assertEqual(self.state(run_id), "settled")

    def test_the_end_saves_what_is_under_way(self):
        run_id = self.add("a")
        played = self.crew()
        self.dispatcher.turn()
        token, _ = played.at(run_id)
        played.say(run_id, ("keep", "checkpoint", b"saved"), ("put_back", "The program was ended"))
        self.dispatcher.close()
        self.assertTrue(played.closed)
        self.assertIn((token, "end"), played.told)
        self.assertEqual(self.state(run_id), "waiting")
        self.assertEqual(runs.kept_array(self.db, run_id, "checkpoint"), b"saved")


class Wishing(Played):
    def test_pause_stop_and_deletion_reach_the_worker(self):
        one, two = self.add("a"), self.add("b")
        played = self.crew()
        self.dispatcher.turn()
        runs.ask(self.db, one, "pause")
        with mock.patch.object(dispatch, "WISH_EVERY", 0.0):
            self.dispatcher.turn()
            self.dispatcher.turn()
        self.assertEqual(played.told.count((played.at(one)[0], "pause")), 1)
        played.say(one, ("finish", "paused", None, "", "Paused"))
        token = played.at(two)[0]
        self.db.execute("DELETE FROM run WHERE id = ?", (two, ))
        played.say(two, ("record", [], {}, ""))
        self.dispatcher.turn()
        self.assertEqual(self.state(one), "paused")
        self.assertIn((token, "gone"), played.told)
        self.assertFalse(played.tasks)


class Searching(Played):
    def test_a_search_has_as_many_points_under_way_as_there_are_workers(self):
        plan = Plan([Parameter("thickness", "t", "", 0.08, 0.16)], "lift", "largest", [], first=3, most=6)
        cell = {"id": self.campaign}, {"id": self.variant}, {"id": self.point}
        searches.add_search(self.db, *cell, plan, sheet(COARSE))
        played = self.crew(one=(3, 20e3))
        self.dispatcher.turn()
        self.assertEqual(len(played.tasks), 3)
        for task, lift in zip(list(played.tasks.values()), (0.1, 0.3, 0.2)):
            played.say(task["id"], ("finish", "settled", {"coefficients": {"lift": lift}}, "", ""))
        self.dispatcher.turn()
        search = searches.searches_of(self.db, self.campaign)[0]
        proposed = [p["values"][0] for p in searches.points_of(self.db, search["id"]) if p["proposed"]]
        self.assertEqual(len(proposed), 3)
        self.assertGreater(min(abs(a - b) for a in proposed for b in proposed if a is not b), 1e-4)
        for task in list(played.tasks.values()):
            played.say(task["id"], ("finish", "settled", {"coefficients": {"lift": 0.2}}, "", ""))
        self.dispatcher.turn()
        self.assertEqual(searches.search(self.db, search["id"])["state"], "done")


class Places(unittest.TestCase):
    def test_bad_places_say_what_is_accepted(self):
        for given, words in ((("moon", ), "Accepted: one"), (("processes", "0"), "1 to 256"),
                             (("processes", "two"), "“two” processes"), (("scheduler", "", ""), "tcp://HOST"),
                             (("scheduler", "", "10.0.0.5:8786"), "no address"),
                             (("scheduler", "", "tcp://host:port"), "no address")):
            with self.assertRaisesRegex(place.PlaceError, words):
                place.read_place(*given)
        self.assertEqual(place.read_place("processes", " 3 ").count, 3)
        self.assertEqual(place.read_place("scheduler", "", "tcp://h:8786 ").scheduler, "tcp://h:8786")


if __name__ == "__main__":
    unittest.main()
