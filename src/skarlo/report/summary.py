"""The first draft of a dossier's argument."""

from __future__ import annotations

from skarlo.core import Results, class_names, count, named, outcomes_of

from .drafting import lead, rows_named
from .exhibits import sentence
from .scope import Scope, baselines, candidates


def summary(results: Results, scope: Scope) -> str:
    """A first draft of the dossier's argument, in Markdown, for its author to edit."""
    chosen = candidates(results, scope)
    if not chosen:
        return ""
    who, rows = named([c.name for c in chosen]), rows_named(results, scope)
    if results["holdout"]["positive"] is None:
        of, asked = f" of {len(results['holdout']['classes'])} classes", ("balanced_accuracy", "log_loss", "accuracy")
    else:
        positives = count(outcomes_of(results, baselines(results, scope)[0].part)["P"])
        of = f", of which {positives} were “{class_names(results)['positive']}”"
        asked = ("roc_auc", "average_precision", "f1")
    lines = [
        f"**What was compared.** {who}, on {rows}{of}.",
        "**What stands out.** " + sentence("roster", results, scope),
        "**Which errors.** " + sentence("matrix", results, scope),
    ]
    open_ = [told for m in asked if "cannot separate" in (told := lead(results, scope, m)) or "not tested" in told]
    if open_:
        lines.append(
            "**Not settled.** " + " ".join(told + "." for told in open_)
            + " Candidates that cannot be separated are not thereby equal."
        )  # fmt: skip
    return "\n\n".join(lines)
