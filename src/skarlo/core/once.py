"""Values made when they are first asked for, each once, whoever asks and however many ask together."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Hashable, Iterable
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar, cast

T = TypeVar("T")
S = TypeVar("S")

MOST_THREADS = 4  # each has arrays of its own


def threads() -> ThreadPoolExecutor:
    """Threads for work over many rows: NumPy lets go of the interpreter."""
    return ThreadPoolExecutor(min(MOST_THREADS, os.cpu_count() or 1))


def beside(work: Callable[[S], T], items: Iterable[S]) -> list[T]:
    """The work done for each item, several at a time; the results in the items' order."""
    several = list(items)
    if len(several) <= 1:
        return [work(item) for item in several]
    with threads() as pool:
        return list(pool.map(work, several))


class Once:
    """Values by key. While one thread makes a value, the others that want it wait for that one; work on other keys goes
    on beside it. What fails is not kept: whoever comes next tries again.

    A value's making may ask for other values, never for its own.

    Examples
    --------
    >>> made, once = [], Once()
    >>> [once.get("a", lambda: made.append("a") or 7) for _ in range(3)], made
    ([7, 7, 7], ['a'])
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._values: dict[Hashable, Any] = {}
        self._making: dict[Hashable, threading.Lock] = {}

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        """The value of a key, made by `make` if it is not there."""
        with self._lock:
            if key in self._values:
                return cast(T, self._values[key])
            own = self._making.setdefault(key, threading.Lock())
        with own:
            with self._lock:
                if key in self._values:
                    return cast(T, self._values[key])
            value = make()
            with self._lock:
                self._values[key] = value
                self._making.pop(key, None)
            return value

    def holds(self, key: Hashable) -> bool:
        """Whether the value of a key is there."""
        with self._lock:
            return key in self._values
