"""Long work says what it is doing, and can be stopped between its steps."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass, field

Progress = Callable[[int, int, str], None]


@dataclass
class Steps:
    """Tells who waits what comes next.

    tell : told (done, of, what) before each step; what it raises stops the work. None when nobody waits
    of : how many steps there are, as far as is known

    Examples
    --------
    >>> said = []
    >>> steps = Steps(lambda *step: said.append(step), of=2)
    >>> steps.next("one"), steps.next("two")
    (None, None)
    >>> said
    [(0, 2, 'one'), (1, 2, 'two')]
    """

    tell: Progress | None = None
    of: int = 1
    done: int = 0
    _lock: threading.Lock = field(default_factory=threading.Lock, repr=False, compare=False)

    def next(self, what: str) -> None:
        """Say that the next step begins; of steps beside each other each in its turn."""
        with self._lock:
            if self.tell is not None:
                self.tell(self.done, max(self.of, self.done + 1), what)
            self.done += 1
