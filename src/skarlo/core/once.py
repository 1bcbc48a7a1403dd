"""Values made when they are first asked for, each once, whoever asks and however many ask together."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Hashable, Iterable
from concurrent.futures import ThreadPoolExecutor
from typing import Any, Generic, Self, TypeVar, cast, overload

T = TypeVar("T")
S = TypeVar("S")

MOST_THREADS = 4  # each has arrays of its own
FEW_ROWS = 4000  # under which each call does so little that threads would but wait for the interpreter in turn


def threads(rows: int) -> ThreadPoolExecutor:
    """Threads for work over so many rows: over many NumPy lets go of the interpreter; for few there is one."""
    return ThreadPoolExecutor(1 if rows < FEW_ROWS else min(MOST_THREADS, os.cpu_count() or 1))


def beside(work: Callable[[S], T], items: Iterable[S], rows: int) -> list[T]:
    """The work over so many rows done for each item, several at a time; the results in the items' order."""
    several = list(items)
    if len(several) <= 1 or rows < FEW_ROWS:
        return [work(item) for item in several]
    with threads(rows) as pool:
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


class lazy(Generic[T]):  # noqa: N801  (it stands where `property` does)
    """A property made when it is first read and kept with its object, once, however many threads read it together.

    Unlike `functools.cached_property`, whose one lock (Python 3.11) keeps the other objects of a class waiting too, it
    has a lock for each object and only while the value is made.

    Examples
    --------
    >>> class Square:
    ...     def __init__(self, side: float) -> None:
    ...         self.side = side
    ...     @lazy
    ...     def area(self) -> float:
    ...         print("made")
    ...         return self.side**2
    >>> one = Square(3.0)
    >>> one.area, one.area
    made
    (9.0, 9.0)
    """

    def __init__(self, make: Callable[[Any], T]) -> None:
        self._make = make
        self.__doc__ = make.__doc__

    def __set_name__(self, owner: type, name: str) -> None:
        self._name, self._lock = name, f"lock of {name}"

    @overload
    def __get__(self, owned: None, owner: type) -> Self: ...
    @overload
    def __get__(self, owned: object, owner: type) -> T: ...
    def __get__(self, owned: object | None, owner: type) -> Self | T:
        if owned is None:
            return self
        values = owned.__dict__
        own = values.setdefault(self._lock, threading.Lock())  # one of them stays, whoever comes first
        with own:
            if self._name not in values:
                values[self._name] = self._make(owned)
            values.pop(self._lock, None)
            return cast(T, values[self._name])
