"""What is made once: for each object by itself, however many threads ask."""

from __future__ import annotations

import threading
from concurrent.futures import ThreadPoolExecutor

import pytest

from skarlo.core.once import lazy


class Slow:
    """Its value takes as long as the barrier says."""

    def __init__(self, wait: threading.Barrier | None = None, fails: int = 0) -> None:
        self.wait, self.fails, self.made = wait, fails, 0

    @lazy
    def value(self) -> int:
        """Seven."""
        self.made += 1
        if self.wait is not None:
            self.wait.wait(timeout=20)
        if self.made <= self.fails:
            raise ValueError("not yet")
        return 7


def test_objects_of_a_class_are_made_beside_each_other():
    """Both are within `value` at once: one lock for the class would keep the second out, and break the barrier."""
    both = threading.Barrier(2)
    with ThreadPoolExecutor(2) as pool:
        assert [*pool.map(lambda one: one.value, (Slow(both), Slow(both)))] == [7, 7]


def test_an_object_is_made_once_by_many_threads():
    one, together = Slow(), threading.Barrier(8)

    def read(_: int) -> int:
        together.wait(timeout=20)
        return one.value

    with ThreadPoolExecutor(8) as pool:
        assert list(pool.map(read, range(8))) == [7] * 8
    assert one.made == 1
    assert [k for k in vars(one) if "lock" in k] == [], "its lock goes once the value is there"


def test_what_fails_is_tried_again():
    one = Slow(fails=1)
    with pytest.raises(ValueError, match="not yet"):
        assert one.value
    assert (one.value, one.value, one.made) == (7, 7, 2)


def test_it_tells_of_itself():
    assert Slow.value.__doc__ == "Seven."
    assert isinstance(Slow.value, lazy)
