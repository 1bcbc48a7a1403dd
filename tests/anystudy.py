"""A study drawn at random: odd labels, tiny and absent classes, ties, gaps, weights, groups, rules, gates."""

from __future__ import annotations

import csv
import json
import random
from pathlib import Path

LABELS = [["no", "yes"], ["0", "1"], ["a,b", 'q"x'], ["é", "Ω"], ["10", "9"]]
RULES = [
    "{rule='best_f1'}", "{rule='best_youden'}", "{rule='least_cost',false_positive=3,false_negative=40}",
    "{rule='recall_at_least',value=0.8}", "{rule='precision_at_least',value=0.9}", "{rule='flag_at_most',share=0.2}",
    "{rule='flag_at_most',rows=3}", "0.5", "0", "1",
]  # fmt: skip


def write(folder: Path, seed: int) -> Path:
    """Write a random study; returns the path of its study.toml."""
    r = random.Random(seed)
    n, k = r.choice([1, 2, 3, 5, 8, 20, 60, 200]), r.choice([2, 2, 2, 3, 4])
    labels = r.choice(LABELS) if k == 2 else [f"c{i}" for i in range(k)]
    rows = [
        {"id": f"{i:03d}", "t": labels[min(k - 1, int(r.random() ** 2 * k))], "w": r.choice(["0", "1", "2.5"]),
         "split": r.choice(["test", "tune", "x", ""]), "g": str(r.randrange(max(1, n // 3))),
         "f": r.choice(["u", "v", ""]), "num": str(r.random())} for i in range(n)
    ]  # fmt: skip
    lines = ["format='skarlo.study/1'", "title='any'", *_holdout(r, k, labels, rows), "[settings]", "draws=100"]
    lines += [f"min_slice={r.choice([1, 5, 30])}", f"bins={r.choice([2, 10, 15])}"]
    for i in range(r.randrange(1, 4)):
        lines += _candidate(folder, r, i, k, labels, rows)
    lines += _wishes(r, k, labels)
    with (folder / "h.csv").open("w", newline="", encoding="utf-8") as f:
        writer = csv.DictWriter(f, list(rows[0]))
        writer.writeheader()
        writer.writerows(rows)
    (folder / "study.toml").write_text("\n".join(lines), encoding="utf-8")
    return folder / "study.toml"


def _holdout(r, k, labels, rows):
    out = ["[holdout]", "path='h.csv'", "id='id'", "truth='t'", f"classes={json.dumps(labels, ensure_ascii=False)}"]
    if k == 2:
        out.append(f"positive={json.dumps(r.choice(labels), ensure_ascii=False)}")
        out += [f"expected_base_rate={r.choice(['0.08', '[0.05,0.12]'])}"] * (r.random() < 0.4)
    present = {row["split"] for row in rows}
    if "test" in present and r.random() < 0.7:
        out += ["split='split'", "report_on='test'"]
        out += ["tune_on='tune'"] * ("tune" in present and r.random() < 0.7)
        out += ["also=['x']"] * ("x" in present and r.random() < 0.5)
    out += ["weight='w'"] * (r.random() < 0.3) + ["group='g'"] * (r.random() < 0.3)
    return out + ["slices=[['f'],['f','g']]"] * (r.random() < 0.5)


def _candidate(folder, r, i, k, labels, rows):
    kind = r.choice(["score", "predicted", "probabilities"] if k == 2 else ["predicted", "probabilities"])
    how = r.choice(["error", "wrong", "left_out"])
    names = ["s"] if kind != "probabilities" else [f"p{j}" for j in range(k)]
    out = []
    for row in rows:
        if how != "error" and r.random() < 0.15:
            out += [{"id": row["id"]}] * (r.random() < 0.5)
            continue
        out.append({"id": row["id"]} | _answer(r, kind, labels, how))
    out = out or [{"id": rows[0]["id"]} | _answer(r, kind, labels, "error")]
    with (folder / f"c{i}.csv").open("w", newline="", encoding="utf-8") as f:
        writer = csv.DictWriter(f, ["id", *names])
        writer.writeheader()
        writer.writerows(out)
    said = ["[[candidates]]", f"name='C{i}'", f"path='c{i}.csv'", f"no_answer='{how}'"] + ["runs_now=true"] * (i == 0)
    if kind == "probabilities":
        pairs = ", ".join(f"{json.dumps(x, ensure_ascii=False)}='p{j}'" for j, x in enumerate(labels))
        said.append(f"probabilities={{{pairs}}}")
    else:
        said.append(f"{kind}='s'")
    return said + [f"cutoff={r.choice(RULES)}"] * (k == 2 and kind != "predicted" and r.random() < 0.7)


def _answer(r, kind, labels, how):
    if kind == "score":
        return {"s": repr(r.choice([r.random(), round(r.random(), 1), 0, 1, 0.5]))}
    if kind == "predicted":
        return {"s": "strange" if how != "error" and r.random() < 0.03 else r.choice(labels)}
    p = [r.random() ** 3 + 1e-9 for _ in labels]
    return {f"p{j}": repr(x / sum(p)) for j, x in enumerate(p)}


MEASURES = {
    True: ["measure='net_benefit'\nthreshold=0.3", "measure='partial_area'\nfpr_at_most=0.2",
           "measure='recall_at_fpr'\nfpr_at_most=0.2", "measure='precision_at_top'\nrows=7",
           "measure='precision_at_top'\nshare=0.2", "measure='expected_cost'\ncost={cost}"],
    False: ["measure='top_k_accuracy'\nk=2", "measure='expected_cost'\ncost={cost}"],
}  # fmt: skip


def _wishes(r, k, labels):
    out = []
    if k == 2:
        out += ["[[metrics]]", "name='cost'", "formula='(40*FN+3*FP)/rows + sum(num,TP)/TP'", "better='lower'"]
        out += ["[[metrics]]", "name='each'", "formula='(40*FN+3*FP)/flagged'", "better='lower'"]
    cost = [[int(i != j) * (1 + i) for j in range(k)] for i in range(k)]
    out += ["[[metrics]]", "name='own'", r.choice(MEASURES[k == 2]).format(cost=cost)]
    for _ in range(r.randrange(3)):
        metric = r.choice(
            ["recall", "f1", "roc_auc", "brier", "tp", "ks", "each", "own"]
            if k == 2
            else ["accuracy", "mcc", "kappa", "own"]
        )
        if metric not in ("tp", "own") and r.random() < 0.3:
            out += ["[[gates]]", f"metric='{metric}'", 'against="runs now"', "margin=0.02"]
        else:
            out += ["[[gates]]", f"metric='{metric}'", "at_least=0.5"] + ["every=['f']"] * (r.random() < 0.4)
    name = json.dumps(labels[0], ensure_ascii=False)
    return [*out, "[[gates]]", "metric='recall'", f"class={name}", "at_least=0.5", "every=['f']"]
