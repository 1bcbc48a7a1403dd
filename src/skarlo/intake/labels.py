"""Classes as they are found in a file: which labels are one class spelled two ways, and their merging."""

from __future__ import annotations

import polars as pl

YES_OR_NO = {"1": "yes", "true": "yes", "yes": "yes", "y": "yes", "0": "no", "false": "no", "no": "no", "n": "no"}


def near_labels(classes: list[str]) -> list[tuple[str, ...]]:
    """Classes that differ from one another only in case or spaces, or as 1, true and yes do, together.

    Examples
    --------
    >>> near_labels(["no", "yes", "Yes ", "NO"])
    [('no', 'NO'), ('yes', 'Yes ')]
    >>> near_labels(["0", "1", "true", "2"])
    [('1', 'true')]
    """
    found: dict[str, list[str]] = {}
    for label in classes:
        plain = "".join(label.split()).casefold()
        found.setdefault(YES_OR_NO.get(plain, plain), []).append(label)
    return [tuple(labels) for labels in found.values() if len(labels) > 1]


def alike_in(labels: tuple[str, ...]) -> str:
    """What labels that are nearly alike have in common, in words.

    Examples
    --------
    >>> alike_in(("no", "NO ")), alike_in(("1", "true"))
    ('differ only in case or spaces', 'say the same')
    """
    plain = {"".join(label.split()).casefold() for label in labels}
    return "differ only in case or spaces" if len(plain) == 1 else "say the same"


def merged(labels: pl.Series, merge: dict[str, str]) -> pl.Series:
    """Labels with those that are merged written as the class they count as."""
    return labels.replace(merge) if merge else labels
