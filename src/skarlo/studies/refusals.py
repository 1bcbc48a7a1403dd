"""What is asked and cannot be done, with the reason a person reads."""

from __future__ import annotations


class Refusal(Exception):  # noqa: N818
    """The request is understood and refused: why, and which field is at fault."""

    def __init__(self, why: str, field: str | None = None) -> None:
        self.why, self.field = why, field
        super().__init__(why)


class Missing(Refusal):
    """What is asked for does not exist."""


class Conflict(Refusal):
    """The request does not fit the state things are in."""


class Damaged(Conflict):
    """A kept file is not what it was when it was kept, so nothing is concluded from it."""


class Outdated(Refusal):
    """What is to be changed was changed by someone else meanwhile."""


class Unconditional(Refusal):
    """A change must say which state it changes."""


class Forbidden(Refusal):
    """This person may not do this."""


class Held(Refusal):
    """Another server has the workspace."""
