"""All slices compared with the other rows at once say what each says alone."""

import numpy as np
import pytest

from skarlo import core
from skarlo.core.compare import apart, slices
from skarlo.core.compare.rest import Part, against_rest
from skarlo.core.counting import table
from skarlo.core.counting.answers import Answers
from skarlo.core.metrics import panel
from skarlo.core.metrics.panel import Reading
from skarlo.core.stats import tests
from skarlo.core.study import Field

LABELS = ("a", "b", "c")
WAYS = ["mixed", "all right", "one class", "none said", "tiny"]


def of_rows(cells):
    """Rows that these counts are of: actual and predicted classes, the last column for no answer."""
    actual, predicted = np.indices(cells.shape)
    count = cells.ravel()
    said = np.repeat(predicted.ravel(), count)
    return np.repeat(actual.ravel(), count), np.where(said == cells.shape[0], -1, said)


def tables(way, classes, unanswered, rng):
    """Matrices of six slices, shape (6, K, L); the first is what the way says."""
    cells = rng.integers(0, 30, (6, classes, classes + unanswered))
    if way == "all right":
        cells[0] = 0
        cells[0, range(classes), range(classes)] = 12
    elif way == "one class":
        cells[0, 1:] = 0
    elif way == "none said":
        cells[0, :, 1] = 0
    elif way == "tiny":
        cells[0] = 0
        cells[0, 0, 0], cells[0, 1, 0] = 1, 2
    return cells


@pytest.mark.parametrize("unanswered", [0, 1])
@pytest.mark.parametrize("classes", [2, 3])
@pytest.mark.parametrize("way", WAYS)
def test_each_slice_says_alone_what_it_says_among_all(way, classes, unanswered):
    rng = np.random.default_rng(WAYS.index(way) + 10 * classes + unanswered)
    cells = tables(way, classes, unanswered, rng)
    positive = 1 if classes == 2 else None
    reading = Reading(LABELS[:classes], positive, core.Settings(draws=50))
    rows = [of_rows(x) for x in cells]
    actual, predicted = (np.concatenate(x) for x in zip(*rows, strict=True))
    begins = np.cumsum([0, *(len(a) for a, _ in rows)])
    whole = Answers.of_classes(actual, predicted, classes, none_counts=bool(unanswered))
    at_once = apart.each(cells, cells.sum(axis=0), positive or 0)
    alone, found = [], []
    for i, of in enumerate(cells):
        part = Part(whole, lambda i=i: np.arange(begins[i], begins[i + 1]), table.of_cells(of, classes))
        mine = {name: m for name, m in panel.of_counts(part.rows, reading).items() if name in at_once}
        rest = part.others(table.of_cells(cells.sum(axis=0) - of, classes))
        alone.append(against_rest(part, rest, mine, reading))
        found.append(mine)
    names = [name for name in at_once if name in found[0]]
    assert len(names) >= 4
    for name in names:
        wanted = tests.family([x[name] for x in alone], 0.95)
        told = at_once[name].family(range(6), [m[name].get("why", "") for m in found], 0.95)
        for one, other in zip(told, wanted, strict=True):
            assert set(one) == set(other), name
            for key, value in other.items():
                assert one[key] == (pytest.approx(value, abs=1e-12) if isinstance(value, float) else value), (name, key)


def test_a_difference_of_sums_of_recalls_reaches_beyond_one():
    cells = np.array([[[40, 0], [0, 40]], [[2, 38], [38, 2]]])
    d = apart.each(cells, cells.sum(axis=0), 1)["youden_j"].family(range(2), ["", ""], 0.95)
    assert d[0]["difference"] == pytest.approx(1.9)
    assert d[0]["low"] > 1.5
    assert d[0]["high"] == pytest.approx(2.0, abs=0.05)
    assert d[1]["low"] == pytest.approx(-d[0]["high"])


@pytest.mark.parametrize("most", [1, 20, 1000])
@pytest.mark.parametrize("classes", [2, 3])
def test_lists_of_fields_say_together_what_each_says_alone(classes, most, monkeypatch):
    monkeypatch.setattr(slices, "MANY", most)
    rng = np.random.default_rng(classes)
    n, sizes = 3000, (2, 5, 9)
    fields = [Field(f"f{k}", tuple(map(str, range(k))), rng.integers(0, k, n)) for k in sizes]
    lists = [(f,) for f in fields] + [(fields[0], fields[2]), (fields[1], fields[2])]
    actual, predicted = rng.integers(0, classes, n), rng.integers(0, classes, n)
    a = Answers.of_classes(actual, np.where(rng.random(n) < 0.5, actual, predicted), classes)
    reading = Reading(LABELS[:classes], 1 if classes == 2 else None, core.Settings(draws=50))

    def made():
        return slices.Slices(a, lists, np.ones(n, dtype=bool), reading)

    alone, together, begun = made(), made(), made()
    wanted = [s.told for i in range(len(lists)) for s in alone.of(i)]
    assert len(wanted) == 2 + 5 + 9 + 18 + 45
    assert [s.told for s in together.all()] == wanted
    begun.of(1)
    begun.of(3)
    assert [s.told for s in begun.all()] == wanted
    assert len({s["rest"]["recall"]["p_adjusted"] for s in wanted} if classes == 2 else {0, 1, 2}) > 2
