"""Random draws that are a pure function of what they are about, and the intervals read off them."""

from __future__ import annotations

import hashlib
import math
from typing import Any

import numpy as np
import numpy.typing as npt

from ..number import FloatArray, IntArray

NO_DRAW = "no draw of the counts gives a value"


def generator(seed: int, family: str, shape: tuple[int, ...], counts: IntArray | FloatArray) -> np.random.Generator:
    """A generator that other candidates, their order and threads do not change.

    PCG64 seeded with `seed` and the four 64-bit words of SHA-256 over the family name, the shape and the counts
    (little-endian int64; sums of weights as little-endian float64).
    """
    kind = "<i8" if counts.dtype.kind in "iub" else "<f8"
    body = family.encode() + b"\0" + np.asarray(shape, "<i8").tobytes() + np.ascontiguousarray(counts, kind).tobytes()
    words = np.frombuffer(hashlib.sha256(body).digest(), "<u8")
    return np.random.Generator(np.random.PCG64(np.random.SeedSequence([seed, *(int(w) for w in words)])))


ROOM = 1 << 18  # products held at once while clusters are drawn again


def resampled(clusters: npt.NDArray[Any], rng: np.random.Generator, draws: int) -> FloatArray:
    """Sums over clusters drawn again with replacement, as many as there are: shape (draws, D).

    clusters : each cluster's own sums, shape (C, D)
    """
    n, width = clusters.shape
    out = np.empty((draws, width))
    whole = clusters.astype(np.float64) if clusters.dtype.kind in "iu" else None  # sums of counts are exact
    step = max(1, ROOM // max(1, n * width))
    for i in range(0, draws, step):
        here = min(step, draws - i)
        picked = rng.integers(0, n, (here, n)) + n * np.arange(here)[:, None]
        times = np.bincount(picked.reshape(-1), minlength=here * n).reshape(here, n)
        if whole is not None:
            out[i : i + here] = times.astype(np.float64) @ whole
        else:
            out[i : i + here] = np.add.reduce(times[:, :, None] * clusters, axis=1)
    return out


def of_successes(chance: FloatArray) -> tuple[IntArray, FloatArray]:
    """How many of some independent trials succeed: counts, and how likely each is.

    The distribution is the Fourier transform of its characteristic function (Hong 2013, Computational Statistics & Data
    Analysis 59:41), over as wide a stretch round the mean as holds all but 1e-15 of it (Bernstein's bound).

    chance : of each trial, shape (n,); time and room grow with n times the standard deviation of the count
    """
    mean, variance = float(chance.sum()), float((chance * (1.0 - chance)).sum())
    half = math.ceil(6.0 * math.sqrt(variance)) + 24
    wide, low = 2 * half + 1, math.floor(mean) - half
    turn = np.exp(-2j * np.pi / wide * np.arange(half + 1)) - 1.0
    around = np.fft.irfft(np.multiply.reduce(1.0 + chance[:, None] * turn, axis=0), wide)
    at = np.arange(max(0, low), min(len(chance), low + wide - 1) + 1)
    return at, np.maximum(around[at % wide], 0.0)


def successes(chance: FloatArray, rng: np.random.Generator, draws: int) -> IntArray:
    """Draws of `of_successes`."""
    at, mass = of_successes(chance)
    up_to = np.cumsum(mass)
    return np.asarray(at[np.searchsorted(up_to, rng.random(draws) * up_to[-1], side="right")])


def ends(draws: FloatArray, confidence: float) -> tuple[float, float]:
    """Equal-tailed quantiles of the draws that exist, NumPy's linear rule."""
    tail = (1.0 - confidence) / 2.0
    low, high = np.quantile(draws[np.isfinite(draws)], [tail, 1.0 - tail])
    return float(low), float(high)
