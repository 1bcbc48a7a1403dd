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
    place : what on a person's page it is for
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
    ended: float = 0.0
    place: Hashable = None
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

    def answers(self) -> bool:
        """Whether it gives what it was to give, now or soon."""
        return self.state == "done" or (self.state == "running" and not self.stopping.is_set())


class Jobs:
    """The work in progress, and the last that ended."""

    def __init__(self) -> None:
        self._jobs: OrderedDict[str, Job] = OrderedDict()
        self._lock = threading.Lock()

    def start(self, key: str, what: str, work: Callable[[Progress], Any], asker: int, place: Hashable = None) -> Job:
        """Start work; while work of the same key runs, or has just ended well, that is what is followed.

        place : what on a person's page it is for; older work for that same place is let go of, and stops where nobody
            else waits for it
        """
        with self._lock:
            self._forget()
            if place is not None:
                for older in self._jobs.values():
                    if older.place == place and older.key != key and not older.over.is_set():
                        self.stop(older, asker)
            for job in self._jobs.values():
                if job.key == key and job.answers():
                    job.askers.add(asker)
                    return job
            job = Job(secrets.token_urlsafe(9), key, what, askers={asker}, place=place)
            self._jobs[job.id] = job
        threading.Thread(target=job.run, args=(work,), name=f"job {what}", daemon=True).start()
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
        """Let go of a job; it stops before its next step when nobody else waits for it."""
        job.askers.discard(asker)
        if not job.askers:
            job.stopping.set()
        job.askers.add(asker)  # who asked may still see how it ended
