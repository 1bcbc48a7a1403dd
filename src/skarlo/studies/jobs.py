"""Long work: each piece runs on a thread of its own, says how far it is, and can be stopped."""

from __future__ import annotations

import secrets
import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass, field
from typing import Any, Literal

from skarlo.core import Progress

State = Literal["running", "done", "failed", "stopped"]
MOST = 200  # jobs remembered
KEPT = 60.0  # seconds that what a job gave is at hand, for who comes back for it


class Stopped(Exception):  # noqa: N818
    """Someone stopped the work."""


class WorkFailedError(Exception):
    """Work ended in a way that is none of our own."""


@dataclass
class Job:
    """A piece of work.

    what : what it is, in words; step : what it does now, the step `done` of `of`
    result : what it gave, once `state` is "done"; error : why not, once it is "failed"
    askers : who may see it; waiting : who waits for it, as people or as places on their pages, with the turn of each
    """

    id: str
    key: str
    what: str
    step: str = ""
    done: int = 0
    of: int = 1
    state: State = "running"
    result: Any = None
    error: Exception | None = None
    askers: set[int] = field(default_factory=set)
    waiting: dict[Hashable, int] = field(default_factory=dict)
    ended: float = 0.0
    over: threading.Event = field(default_factory=threading.Event)
    stopping: threading.Event = field(default_factory=threading.Event)

    def tell(self, done: int, of: int, step: str) -> None:
        """Take a step's word; raises Stopped when the work is to stop."""
        if self.stopping.is_set():
            raise Stopped
        self.done, self.of, self.step = done, of, step

    def run(self, work: Callable[[Progress], Any]) -> None:
        """Do the work; whatever comes of it is kept."""
        try:
            self.result = work(self.tell)
            self.state = "done"
        except Stopped:
            self.state = "stopped"
        except BaseException as e:  # a panic of a compiled library is no Exception, and the work has ended all the same
            self.error, self.state = e if isinstance(e, Exception) else WorkFailedError(repr(e)), "failed"
        finally:
            self.ended = time.monotonic()
            self.over.set()

    def let_go(self, waiter: Hashable) -> None:
        """One waits for it no more; when nobody does, it stops before its next step."""
        self.waiting.pop(waiter, None)
        if not self.waiting:
            self.stopping.set()

    def answers(self) -> bool:
        """Whether it gives what it was to give, now or soon."""
        return self.state == "done" or (self.state == "running" and not self.stopping.is_set())


class Jobs:
    """The work in progress, and the last that ended."""

    def __init__(self) -> None:
        self._jobs: OrderedDict[str, Job] = OrderedDict()
        self._lock = threading.Lock()

    def start(
        self, key: str, what: str, work: Callable[[Progress], Any], asker: int, place: Hashable = None, turn: int = 0
    ) -> Job:
        """Start work; while work of the same key runs, or has just ended well, that is what is followed.

        place : what on a person's page it is for; older work for that same place is let go of, and stops where nobody
            else waits for it
        turn : rises from one request of a page to the next. Requests may arrive in another order: what is asked for a
            place after something newer was is stopped before it begins
        """
        waiter: Hashable = asker if place is None else (asker, place)
        with self._lock:
            self._forget()
            others = [j for j in self._jobs.values() if j.key != key and waiter in j.waiting and not j.over.is_set()]
            if place is not None and any(j.waiting[waiter] > turn for j in others):
                return self._stopped(key, what, asker)
            if place is not None:
                for older in others:
                    older.let_go(waiter)
            for job in self._jobs.values():
                if job.key == key and job.answers():
                    job.askers.add(asker)
                    job.waiting[waiter] = turn
                    return job
            job = Job(secrets.token_urlsafe(9), key, what, askers={asker}, waiting={waiter: turn})
            self._jobs[job.id] = job
        threading.Thread(target=job.run, args=(work,), name=f"job {what}", daemon=True).start()
        return job

    @staticmethod
    def _stopped(key: str, what: str, asker: int) -> Job:
        job = Job(secrets.token_urlsafe(9), key, what, state="stopped", askers={asker})
        job.over.set()
        return job

    def _forget(self) -> None:
        """Let go of what ended a while ago, and of the oldest where there are too many."""
        over = [j for j in self._jobs.values() if j.over.is_set()]
        late, many = time.monotonic() - KEPT, len(self._jobs) + 1 - MOST
        for i, job in enumerate(over):
            if job.ended < late or i < many:
                del self._jobs[job.id]

    def find(self, job_id: str, asker: int) -> Job | None:
        """One's own job."""
        with self._lock:
            job = self._jobs.get(job_id)
        return job if job is not None and asker in job.askers else None

    def stop(self, job: Job, asker: int) -> None:
        """Let go of a job, wherever one waits for it; who asked may still see how it ended."""
        with self._lock:
            for waiter in [w for w in job.waiting if w == asker or (isinstance(w, tuple) and w[0] == asker)]:
                job.let_go(waiter)
