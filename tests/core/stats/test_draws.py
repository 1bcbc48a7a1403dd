"""How many of unlike trials succeed, against adding one trial after another."""

import numpy as np
import pytest

from skarlo.core.stats.draws import of_successes, successes


def one_by_one(chance):
    mass = np.ones(1)
    for p in chance:
        mass = np.append(mass * (1.0 - p), 0.0) + np.append(0.0, mass * p)
    return mass


RNG = np.random.default_rng(5)
TRIALS = {
    "one": np.array([0.3]), "sure": np.array([0.0, 1.0, 1.0]), "few": RNG.random(11), "rare": 0.004 * RNG.random(1900),
    "likely": 1.0 - 0.004 * RNG.random(1900), "alike": np.full(40, 0.25), "wide": RNG.random(400),
}  # fmt: skip


@pytest.mark.parametrize("name", TRIALS)
def test_the_distribution_is_that_of_one_trial_after_another(name):
    at, mass = of_successes(TRIALS[name])
    wanted = one_by_one(TRIALS[name])
    assert np.abs(mass - wanted[at]).max() < 1e-13
    assert np.delete(wanted, at).sum() < 1e-14


def test_draws_follow_the_distribution():
    drawn = successes(TRIALS["few"], np.random.default_rng(0), 200_000)
    wanted = one_by_one(TRIALS["few"])
    found = np.bincount(drawn, minlength=len(wanted)) / len(drawn)
    assert np.all(np.abs(found - wanted) <= 5.0 * np.sqrt(wanted / len(drawn)) + 1e-12)


def test_what_is_sure_is_drawn_so():
    assert np.all(successes(TRIALS["sure"], np.random.default_rng(0), 100) == 2)
