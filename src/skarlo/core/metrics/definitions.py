"""All metrics, one entry each: those of counts in `of_counts`, those of scores and probabilities in `of_scores`.

The rest of the house asks here and names no metric that is not of its own making.
"""

from __future__ import annotations

from .of_counts import OF_COUNTS
from .of_scores import OF_SCORES
from .registry import Registry

METRICS = Registry((*OF_COUNTS, *OF_SCORES))
# What stands side by side where nobody chose otherwise.
HEADLINE = ("roc_auc", "average_precision", "brier", "accuracy", "recall", "precision", "f1")
HEADLINE_MANY = ("accuracy", "balanced_accuracy", "mcc", "kappa", "roc_auc_macro", "log_loss", "brier")
