"""Faults put in by hand, one at a time, at places that decide: each must make the tests beside it fail.

    make mutants

A fault that survives says that a conclusion is held by no test. Prints a line for each; ends with 1 if any survives.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]


@dataclass(frozen=True)
class Fault:
    """A text of a file under src/skarlo and what stands there in its place, and the tests that must notice."""

    what: str
    file: str
    old: str
    new: str
    tests: str


CONCLUDED, WEB = "tests/core/compare/test_concluded.py", "tests/web"
SLICES, TOGETHER = "tests/core/compare/test_apart.py", "tests/core/compare/test_together.py"
FAULTS = (
    # What is concluded from several numbers.
    Fault("Holm counts one p too many", "core/stats/tests.py",
          "np.arange(len(order), 0, -1) * p[order]", "np.arange(len(order) + 1, 1, -1) * p[order]", CONCLUDED),
    Fault("Holm not monotone", "core/stats/tests.py",
          "np.maximum.accumulate(np.minimum(1.0, np.arange(len(order), 0, -1) * p[order]))",
          "np.minimum(1.0, np.arange(len(order), 0, -1) * p[order])", CONCLUDED),
    Fault("a family's adjusted interval is the plain one", "core/stats/tests.py",
          "self._ends(told, 1 - (1 - confidence) / m)", "self._ends(told, confidence)", SLICES),
    Fault("lists of fields read together are told from the first one's slices", "core/compare/slices.py",
          "slice(end - len(codes), end)", "slice(0, len(codes))", SLICES),
    Fault("every rate has the first one's test", "core/compare/apart.py",
          "of.append(found[key])", "of.append(0)", SLICES),
    Fault("a pair reads a number of all rows on the rows of both", "core/compare/pairs.py",
          "if rows is whole.with_answer and (one.left_out or one.reading.over_answered(name)):",
          "if one.left_out or one.reading.over_answered(name):", TOGETHER),
    Fault("a row that one has no score for counts", "core/compare/together.py",
          "d[np.isnan(d)] = 0.0", "d[np.isnan(d)] = 1.0", TOGETHER),
    Fault("bins of the rows left keep what lies between their bounds and the old ones", "core/metrics/calibration.py",
          "table[:, b] -= between if", "table[:, b] += between if", TOGETHER),
    Fault("bins of the rows left hold those left out", "core/metrics/calibration.py",
          "np.subtract.at(table.T, which,", "np.subtract.at(table.T.copy(), which,", TOGETHER),
    Fault("a carried fit leaves the rows left out in", "core/metrics/logistic.py",
          "+ each @ (positive - p)", "", TOGETHER),
    Fault("a thinned curve may lie twice as far off", "core/counting/curves.py",
          "curve, left = make(t), tolerance", "curve, left = make(t), 2 * tolerance", "tests/core/counting"),
    Fault("the best set by two-sided p", "core/compare/pairs.py",
          "(len(ranked) - 1) * p / 2)", "(len(ranked) - 1) * p)", CONCLUDED),
    Fault("the best set not corrected for its rivals", "core/compare/pairs.py",
          "min(1.0, (len(ranked) - 1) * p / 2)", "min(1.0, p / 2)", CONCLUDED),
    Fault("the best set whatever the direction", "core/compare/pairs.py",
          'apart.add(pair["b"] if sign * gap > 0 else pair["a"])', 'apart.add(pair["b"] if gap > 0 else pair["a"])',
          CONCLUDED),
    Fault("the untested count as not separable", "core/compare/pairs.py",
          '"not_separated": [n for n in left if n in tested]', '"not_separated": list(left)', CONCLUDED),
    Fault("a thin number leads", "core/compare/pairs.py",
          ' and not e.metrics[name].get("thin")', "", CONCLUDED),
    Fault("the adjusted interval is the plain one", "core/stats/tests.py",
          "pair.interval(1 - (1 - confidence) / m)", "pair.interval(confidence)", CONCLUDED),
    # Gates.
    Fault("a gate's slack the other way", "core/decide/gates.py",
          'read >= out["needed"] - SLACK if gate.at_least is not None', 'read >= out["needed"] + SLACK if '
          "gate.at_least is not None", CONCLUDED),
    Fault("a gate against another: its margin's sign", "core/decide/gates.py",
          '"needed": gate.margin if lower else -gate.margin', '"needed": -gate.margin if lower else gate.margin',
          CONCLUDED),
    Fault("a gate reads the kind end", "core/decide/gates.py",
          '{"safe": "low" if gate.at_least is not None else "high"}',
          '{"safe": "high" if gate.at_least is not None else "low"}', "tests/core/test_features.py"),
    # Weights, groups, slices.
    Fault("slice against rest, weighted: the rest's variance of a rate left out", "core/compare/rest.py",
          " / a.effective + b.value * (1 - b.value) / b.effective", " / a.effective", CONCLUDED),
    Fault("slice against rest: the rest's interval left out", "core/compare/rest.py",
          "second.value, against(z), limits=limits", "second.value, (second.value, second.value), limits=limits",
          CONCLUDED),
    Fault("clustered area: no covariance of a group's positives and negatives", "core/metrics/ranking.py",
          " + 2 * factor[2] * total(x * y)", "", CONCLUDED),
    Fault("groups forgotten in a difference", "core/compare/paired.py",
          "mean_variance(psi_a - psi_b, a.weight, a.group)", "mean_variance(psi_a - psi_b, a.weight, None)",
          CONCLUDED),
    Fault("weights forgotten in a loss's difference", "core/compare/paired.py",
          "mean = total(weight * d) / total(weight)", "mean = total(d) / len(d)", CONCLUDED),
    Fault("ECE's interval along the gaps that were seen alone", "core/metrics/calibration.py",
          "return min(low for low, _ in found), max(high for _, high in found)", "return found[0]",
          "tests/core/stats/test_mover.py"),
    Fault("a slice of exactly as many rows as asked is too small", "core/compare/slices.py",
          'if weighted < reading.settings.min_slice:', 'if weighted <= reading.settings.min_slice:', CONCLUDED),
    Fault("a slice is compared with all rows, itself among them", "core/compare/apart.py",
          "for x in (cells, whole - cells))", "for x in (cells, np.broadcast_to(whole, cells.shape)))",
          "tests/core/test_features.py"),
    Fault("half of what is at hand is not taken off a tail", "core/stats/hypergeometric.py",
          "np.full(len(k), 0.5)", "np.full(len(k), 1.0)", "tests/core/stats/test_hypergeometric.py"),
    Fault("the band of the whole curve looks to the wrong side", "core/metrics/reliability.py",
          "np.maximum.at(lower, end, low)", "np.maximum.at(lower, begin, low)",
          "tests/core/metrics/test_reliability.py"),
    Fault("small spreads between cutoffs are not raised", "core/decide/cutoffs.py",
          "sd = np.maximum(sd, LEAST_SD * sd.max())", "sd = np.maximum(sd, 1e-12)",
          "tests/core/decide/test_cutoffs.py"),
    Fault("the price of catches by one needless flag too few", "core/decide/cutoffs.py",
          "betaincinv(hits, needless + 1, tail)", "betaincinv(hits, max(needless, 1), tail)",
          "tests/core/decide/test_cutoffs.py"),
    # Rows and cutoffs.
    Fault("npv where it will run: π for 1 − π", "core/compare/expected.py",
          "_ratio(1 - pi, specificity, fnr, ", "_ratio(pi, specificity, fnr, ", "tests/core/test_features.py"),
    Fault("a row without an answer stands as predicted negative", "core/counting/outcomes.py",
          "~is_pos & ~said_pos & answered", "~is_pos & ~said_pos", "tests/web/test_same_everywhere.py"),
    Fault("what stands exactly at a place is not flagged", "core/live.py",
          'np.searchsorted(t.score, at, side="left")', 'np.searchsorted(t.score, at, side="right")',
          "tests/web/test_same_everywhere.py"),
    Fault("the live counts forget weights", "core/live.py",
          "weight = np.ones(len(a.actual), dtype=np.int64) if a.weight is None else a.weight",
          "weight = np.ones(len(a.actual), dtype=np.int64)", "tests/web/test_same_everywhere.py"),
    Fault("an older choice of a cutoff is forgotten", "studies/catalog.py",
          "found.cutoff_chosen_on = chosen_on if known is None else known.chosen_on",
          "found.cutoff_chosen_on = chosen_on", "tests/web/test_attacked.py"),
    Fault("a cutoff that nobody kept counts as set in advance", "studies/catalog.py",
          "return Cutoff(value, seen_on, chosen_by=BY_HAND)", "return Cutoff(value)", "tests/web/test_attacked.py"),
    Fault("rounded half up", "core/writing.py", 'text = f"{value:,.{digits}f}"',
          'text = f"{math.floor(value * 10**digits + 0.5) / 10**digits:,.{digits}f}"',
          "tests/core/words/test_unfold.py"),
    # What is said.
    Fault("a lead is said where no test was made", "report/drafting.py",
          'return None if other in best["not_tested"] else other not in best["not_separated"]',
          'return other not in best["not_separated"]', "tests/report/test_drafting.py"),
    Fault("separated at p ≤ 0.5", "report/drafting.py",
          'return None if p is None else p <= 1 - results["settings"]["confidence"]',
          "return None if p is None else p <= 0.5", "tests/report/test_drafting.py"),
    Fault("accuracy misleads without a test", "report/exhibits/roster.py",
          'if d is not None and p is not None and p <= alpha and (d["difference"] or 0.0) < 0:',
          'if d is not None and (d["difference"] or 0.0) < 0:', "tests/report/test_drafting.py"),
    Fault("“most often” of two counts alike", "report/exhibits/matrix.py",
          'if p <= 1 - results["settings"]["confidence"]:\n        return f" and most often',
          'if p <= 1:\n        return f" and most often', "tests/report/test_drafting.py"),
    # What is kept and who may.
    Fault("environment left out of the key of kept results", "studies/evaluating.py",
          "what = [core.VERSION, ROWS, environment(), ", "what = [core.VERSION, ROWS, ", "tests/web/test_together.py"),
    Fault("whoever wrote part of a revision signs it", "report/revisions.py",
          "if user.id in (revision.author_id, *revision.author_ids):", "if user.id == revision.author_id:",
          "tests/web/test_attacked.py"),
    Fault("a change made meanwhile is frozen over", "report/revisions.py",
          "if package.gather(evaluator, session, study_id).fingerprint != draft.fingerprint:", "if False:",
          "tests/web/test_together.py"),
    Fault("frozen from files that nobody looked at", "report/revisions.py",
          "    evaluator.verify(draft.kept)\n", "", "tests/web/test_attacked.py"),
)  # fmt: skip


def tried(tests: str, fault: Fault | None) -> str:
    """What became of it: "caught", "SURVIVED", or why it could not be tried. Without a fault the tests must pass."""
    with tempfile.TemporaryDirectory() as folder:
        there = Path(folder)
        for part in ("src", "tests"):
            shutil.copytree(ROOT / part, there / part, ignore=shutil.ignore_patterns("__pycache__", "static"))
        for part in ("pyproject.toml", "docs", "README.md", "benchmarks"):
            (there / part).symlink_to(ROOT / part)
        if fault is not None:
            path = there / "src" / "skarlo" / fault.file
            text = path.read_text(encoding="utf-8")
            if text.count(fault.old) != 1:
                return f"stands there {text.count(fault.old)} times"
            path.write_text(text.replace(fault.old, fault.new), encoding="utf-8")
        command = [sys.executable, "-m", "pytest", "-q", "-x", "-n", "0", "-p", "no:cacheprovider", tests]
        env = os.environ | {"PYTHONPATH": str(there / "src"), "PYTHONDONTWRITEBYTECODE": "1"}
        done = subprocess.run(command, cwd=there, env=env, capture_output=True, text=True, check=False)
        if done.returncode == 0:
            return "SURVIVED"
        return "caught" if done.returncode == 1 else f"cannot be tried: {done.stdout[-300:]}"


def main() -> int:
    """Try all of them, two at a time, once the tests were seen to pass without any."""
    wanted = [f for f in FAULTS if all(word in f.what for word in sys.argv[1:])]
    with ThreadPoolExecutor(2) as pool:
        plain = dict.fromkeys(f.tests for f in wanted)
        for tests, became in zip(plain, pool.map(lambda tests: tried(tests, None), plain), strict=True):
            if became != "SURVIVED":
                raise SystemExit(f"{tests} does not pass as it stands: {became}")
        found = list(pool.map(lambda fault: tried(fault.tests, fault), wanted))
    for fault, became in zip(wanted, found, strict=True):
        print(f"{became:10} {fault.what} ({fault.file}; {fault.tests})")
    print(f"{sum(f == 'caught' for f in found)} of {len(found)} caught")
    return 0 if set(found) == {"caught"} else 1


if __name__ == "__main__":
    raise SystemExit(main())
