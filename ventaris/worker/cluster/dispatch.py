"""Hand waiting runs to workers, store what comes back, and give the runs of lost workers to others."""
import collections
import time
import uuid
from dataclasses import dataclass

from ...core.sheet import SheetError, read_toml
from ...core.study.kinds.registry import kind_of
from ...store import place, runs, searches, surfaces
from ...store.database import StoreError, transaction
from ..desk import Desk
from ..job import ENDED_FROM_OUTSIDE, LEAST_LEFT

# Seconds: between words to workers, to note who is there, to look for a shorter run, to ask for wishes.
WORD_EVERY, NOTE_EVERY, WAY_EVERY, WISH_EVERY = 15.0, 2.0, 5.0, 0.5
# Seconds that a run takes at most for the next one to lie ready at its worker.
SHORT = 15.0
# Share of a machine's memory that runs may plan with.
MEMORY_SHARE = 0.85
# Seconds past its turn after which a run that fits nowhere has a machine emptied for it.
HOLD = 120.0
# Seconds that workers have to save their runs when all is ended.
LEAVE_WITHIN = 8.0
# Seconds that a task's last words may be under way when Dask already calls it over.
LAST_WORDS = 5.0


@dataclass
class Assignment:
    """A run at a worker.

    Attributes
    ----------
    desk : Desk
        Where what comes back is stored.
    address, host : str
    memory_mb : float
    estimate : float or None
        Seconds that it will take, about.
    told : str
        The wish that was passed on last.
    left : float
        Seconds it still needs, as it says itself.
    heard : bool
        Whether it has sent a word: it is not just lying ready.
    over : float
        When Dask said that the task has ended; 0 where it goes on.
    """

    desk: Desk
    address: str
    host: str
    memory_mb: float
    estimate: float | None = None
    told: str = ""
    left: float = 0.0
    heard: bool = False
    over: float = 0.0


def _is_short(estimate):
    """Whether a run of so many seconds is short; one of which nothing is known is not."""
    return bool(estimate) and estimate <= SHORT


class Dispatcher:
    """Keeps a crew at work on a laboratory's queue.

    Parameters
    ----------
    database : connection
    crew : DaskCrew, or what behaves as one
    """
    def __init__(self, database, crew):
        self.database, self.crew = database, crew
        self.under_way = {}
        self._unstored, self.ended = [], 0
        self._word = self._noted = self._way = self._wished = 0.0

    def turn(self, wait=0.0):
        """One round: store what came, see who is lost, pass on wishes, hand out; returns whether anything is
        under way or was done. Where something is under way, up to `wait` seconds pass until the next word.

        Raises
        ------
        CrewError, StoreError
        """
        came = self._store_what_came(wait if self.under_way else 0.0)
        members = self.crew.members()
        self._see_who_is_lost(members)
        self._pass_on_wishes()
        handed = self._hand_out(members)
        self._note(members)
        return bool(came or handed or self.under_way)

    def words(self):
        """How far the queue is, in a line."""
        members = self.crew.members().values()
        out = [m for m in members if m.problem]
        return (f"{len(members) - len(out)} workers: {len(self.under_way)} under way, "
                f"{runs.all_waiting(self.database)[0]} waiting, {self.ended} ended" +
                (f"; {len(out)} left out, {out[0].address}: {out[0].problem}" if out else ""))

    # What comes back.

    def _store_what_came(self, wait=0.0):
        self._unstored += self.crew.took(wait)
        if not self._unstored:
            return False
        # All or nothing: with a full disk it stays here for the next round.
        ended = []
        with transaction(self.database):
            for token, messages in self._unstored:
                if token in self.under_way and token not in ended and self._apply(token, messages):
                    ended.append(token)
        self._unstored = []
        for token in ended:
            del self.under_way[token]
            self.crew.forget(token)
        self.ended += len(ended)
        return True

    def _apply(self, token, messages):
        """Store a run's messages; whether they end it."""
        assignment, ended = self.under_way[token], False
        assignment.heard = True
        for what, *values in messages:
            if what == "record":
                assignment.left = values[1].get("left") or 0.0
            if what == "learn_cost" and not self.crew.is_local:
                # Another machine's time says nothing of this one's.
                continue
            answer = getattr(assignment.desk, what)(*values)
            if answer == "gone":
                self._tell(token, "gone")
                return True
            ended = ended or what in ("finish", "put_back")
        return ended

    def _see_who_is_lost(self, members):
        broken, now = self.crew.broken(), time.monotonic()
        # What lay ready at a worker has no part in its end.
        at_work = {a.address for a in self.under_way.values() if a.heard}
        for token, assignment in list(self.under_way.items()):
            why = ""
            if assignment.address not in members:
                why = f"The worker {assignment.address} is lost"
            elif token in broken:
                assignment.over = assignment.over or now
                if now - assignment.over > LAST_WORDS:
                    why = f"The worker {assignment.address} gave the run up: {broken[token] or 'no reason'}"
            if why:
                del self.under_way[token]
                self.crew.forget(token)
                if not assignment.heard and assignment.address in at_work:
                    runs.put_back(self.database, assignment.desk.id, f"{why}; the run is given to another")
                else:
                    runs.lost(self.database, assignment.desk.id, why)

    # What goes out.

    def _tell(self, token, wish):
        assignment = self.under_way[token]
        if assignment.told != wish:
            assignment.told = wish
            self.crew.tell(assignment.address, {token: wish})

    def _pass_on_wishes(self):
        now = time.monotonic()
        if now - self._word > WORD_EVERY:
            self._word = now
            self.crew.tell(None, {})
        if now - self._wished < WISH_EVERY:
            return
        self._wished, wishes = now, runs.requests(self.database)
        for token, assignment in self.under_way.items():
            if assignment.desk.id in wishes:
                self._tell(token, wishes[assignment.desk.id])

    def _free(self, members):
        busy = {a.address for a in self.under_way.values()}
        return [m for m in members.values() if m.is_ready and m.address not in busy]

    def _soon_free(self, members):
        """Workers whose only run is a short one: where the next one lies ready, no time is lost between."""
        at = collections.Counter(a.address for a in self.under_way.values())
        return [
            members[a.address] for a in self.under_way.values()
            if at[a.address] == 1 and a.address in members and _is_short(a.estimate)
        ]

    def _room(self, member, members):
        """Megabytes that a run at this worker may take; None where its machine is idle, and anything goes."""
        beside = [a.memory_mb for a in self.under_way.values() if a.host == member.host]
        room = MEMORY_SHARE * member.memory_mb - sum(beside) if beside else None
        if member.limit_mb is None:
            return room
        own = MEMORY_SHARE * member.limit_mb
        return own if room is None else min(room, own)

    def _hand_out(self, members):
        """Give waiting runs to free workers, those with the most room first; whether any was given."""
        handed, free = False, self._free(members)
        if not free and self.under_way:
            self._make_way(members)
        while free:
            if runs.next_waiting(self.database) is None:
                if not searches.advance(self.database, sum(not m.problem for m in members.values())):
                    break
                continue
            rooms = {m.address: self._room(m, members) for m in free}
            free.sort(key=lambda m: (rooms[m.address] is not None, -(rooms[m.address] or 0)))
            member = free.pop(0)
            if self._is_kept_for_a_large_run(member, rooms[member.address]):
                continue
            run = runs.claim(self.database, member.address, rooms[member.address])
            if run:
                self._begin(member, members, run)
                handed = True
        for member in self._soon_free(members):
            first = runs.next_waiting(self.database)
            if first is None or not _is_short(first["estimate"]):
                break
            run = runs.claim(self.database, member.address, self._room(member, members))
            if run:
                self._begin(member, members, run)
                handed = True
        return handed

    def _is_kept_for_a_large_run(self, member, room):
        """Whether a machine takes nothing new, so that the run whose turn it long is finds room."""
        first = runs.next_waiting(self.database)
        return (room is not None and first is not None and (first["memory_mb"] or 0) > room
                and (member.limit_mb is None or first["memory_mb"] <= MEMORY_SHARE * member.limit_mb)
                and time.time() > first["turn"] + HOLD)

    def _begin(self, member, members, run):
        desk, token = Desk(self.database, run), f"run-{run['id']}-{uuid.uuid4().hex[:8]}"
        checkpoint, neighbours, shapes = desk.checkpoint(), [], {}
        try:
            sheet = read_toml(run["sheet"])
            if kind_of(sheet).neighbourhood and sheet.run.start == "neighbour" and not checkpoint:
                neighbours = [found for found, _ in zip(desk.neighbours(sheet), range(2))]
            for key in surfaces.sources_of(sheet.shape.model_dump()):
                shapes[key] = surfaces.surface_bytes(self.database, key)
        except SheetError:
            # The worker says so, as it does of every sheet.
            pass
        beside = sum(m.host == member.host and not m.problem for m in members.values())
        task = {
            "token": token, "id": run["id"], "sheet": run["sheet"], "extra_steps": run["extra_steps"],
            "estimate": run["estimate"], "checkpoint": checkpoint, "neighbours": neighbours,
            "threads": max(1, member.cores // max(beside, 1))
        }
        self.under_way[token] = Assignment(desk, member.address, member.host, run["memory_mb"] or 0.0,
                                           run["estimate"])
        runs.say(self.database, run["id"], f"Given to the worker {member.address} on {member.host}")
        self.crew.begin(member.address, task, {k: data for k, data in shapes.items() if data})

    def _make_way(self, members):
        """Let the run that has the longest to go make way where a much shorter one waits."""
        now = time.monotonic()
        if now - self._way < WAY_EVERY:
            return
        self._way = now
        if any(a.told == "way" for a in self.under_way.values()):
            return
        longest = max(self.under_way, key=lambda token: self.under_way[token].left, default=None)
        if longest is None or self.under_way[longest].left < LEAST_LEFT:
            return
        found = self.under_way[longest]
        if found.address in members and runs.shorter_waiting(self.database, found.desk.id, found.left):
            self._tell(longest, "way")

    def _note(self, members):
        now = time.monotonic()
        if now - self._noted < NOTE_EVERY:
            return
        self._noted, at = now, {}
        for assignment in self.under_way.values():
            at.setdefault(assignment.address, []).append(assignment.desk.id)
        place.note_crew(self.database, [{
            "address": m.address, "host": m.host, "cores": m.cores, "memory_mb": round(m.memory_mb),
            "problem": m.problem, "runs": at.get(m.address, [])
        } for m in members.values()])

    # The end.

    def close(self):
        """Let all that is under way be saved and wait again, then leave the crew."""
        end = time.monotonic() + LEAVE_WITHIN
        try:
            for token in self.under_way:
                self._tell(token, "end")
            while self.under_way and time.monotonic() < end:
                self._store_what_came()
                self._see_who_is_lost(self.crew.members())
                time.sleep(0.1)
        except (RuntimeError, StoreError) as error:
            print(error, flush=True)
        self.give_back(ENDED_FROM_OUTSIDE)
        self.crew.close()

    def give_back(self, line):
        """All that is under way waits again."""
        for token, assignment in self.under_way.items():
            self.crew.forget(token)
            runs.put_back(self.database, assignment.desk.id, line)
        self.under_way = {}
