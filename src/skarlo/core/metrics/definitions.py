"""What each metric is: its title, its direction, its other names in the trade, and what it needs."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Definition:
    """One metric.

    `needs` is "counts" (a predicted class), "scores" (an order of the rows) or "probabilities" (scores in [0, 1]).
    `formula` is written over TP, FP, FN, TN, P, N and rows; `meaning` is one plain clause; `short` is the title where
    room is short. `formula_many` and `meaning_many` are said of three classes or more, where they differ.
    """

    name: str
    title: str
    needs: str
    better: str
    formula: str
    meaning: str
    also: tuple[str, ...] = ()
    lower: float = 0.0
    upper: float = 1.0
    formula_many: str = ""
    meaning_many: str = ""
    short: str = ""


_ALL = (
    Definition("accuracy", "Accuracy", "counts", "higher", "(TP + TN) / rows", "the share of rows predicted right",
               ("proportion correct", "1 - error rate"), formula_many="rows predicted right / rows"),
    Definition("balanced_accuracy", "Balanced accuracy", "counts", "higher", "(TP/P + TN/N) / 2",
               "the plain mean of the recall of each class", ("macro recall",),
               formula_many="mean over the classes of (rows found / rows of the class)", short="Balanced acc"),
    Definition("precision", "Precision", "counts", "higher", "TP / (TP + FP)",
               "of the rows predicted positive, the share that were", ("positive predictive value", "PPV")),
    Definition("recall", "Recall", "counts", "higher", "TP / (TP + FN)",
               "of the rows that were positive, the share predicted so", ("sensitivity", "true-positive rate", "TPR")),
    Definition("specificity", "Specificity", "counts", "higher", "TN / (TN + FP)",
               "of the rows that were negative, the share predicted so", ("true-negative rate", "selectivity")),
    Definition("npv", "Negative predictive value", "counts", "higher", "TN / (TN + FN)",
               "of the rows predicted negative, the share that were", ("NPV",)),
    Definition("f1", "F1", "counts", "higher", "2 TP / (2 TP + FP + FN)",
               "the harmonic mean of precision and recall", ("F-measure", "Dice coefficient")),
    Definition("mcc", "Matthews correlation", "counts", "higher",
               "(TP·TN - FP·FN) / sqrt((TP + FP)(TP + FN)(TN + FP)(TN + FN))",
               "the correlation of actual and predicted class", ("MCC", "phi coefficient"), -1.0,
               formula_many="(right·n - Σ actual·predicted) / sqrt((n² - Σ actual²)(n² - Σ predicted²)), sums over the "
               "classes (Gorodkin 2004)", short="MCC"),
    Definition("kappa", "Cohen's kappa", "counts", "higher", "(observed - expected) / (1 - expected agreement)",
               "agreement beyond what the margins alone would give", ("κ",), -1.0, short="Kappa"),
    Definition("youden_j", "Youden's J", "counts", "higher", "TP/P + TN/N - 1",
               "recall plus specificity, less one", ("informedness",), -1.0),
    Definition("fpr", "False-positive rate", "counts", "lower", "FP / (FP + TN)",
               "of the rows that were negative, the share predicted positive", ("false-alarm rate", "1 - specificity")),
    Definition("fnr", "False-negative rate", "counts", "lower", "FN / (TP + FN)",
               "of the rows that were positive, the share missed", ("miss rate", "1 - recall")),
    Definition("flagged_share", "Flagged share", "counts", "neither", "(TP + FP) / rows",
               "the share of rows predicted positive", ("predicted prevalence",)),
    Definition("prevalence", "Prevalence", "counts", "neither", "(TP + FN) / rows",
               "the share of rows that are positive", ("base rate",)),
    Definition("roc_auc", "ROC AUC", "scores", "higher", "pairs in order / (P·N), ties half",
               "the chance that a positive row scores above a negative one",
               ("area under the ROC curve", "c-statistic", "Mann-Whitney U / (P·N)")),
    Definition("average_precision", "Average precision", "scores", "higher",
               "sum over distinct scores, downwards, of (recall step) × precision",
               "precision averaged over the recall steps", ("AP", "area under the precision-recall steps"),
               short="Avg precision"),
    Definition("ks", "KS distance", "scores", "higher", "largest (TP/P - FP/N) over all cutoffs",
               "the largest gap between the two classes' score distributions", ("Kolmogorov-Smirnov distance",)),
    Definition("brier", "Brier score", "probabilities", "lower", "mean of (score - actual)²",
               "the mean squared distance of the probability from what happened", ("mean squared error",),
               formula_many="mean over the rows of the sum over the classes of (probability - actual)²",
               meaning_many="the squared distance of the class probabilities from what happened, summed over the "
               "classes", short="Brier"),
    Definition("log_loss", "Log loss", "probabilities", "lower", "mean of -ln(probability of the actual class)",
               "the mean surprise at what happened", ("cross-entropy", "negative log-likelihood per row"),
               0.0, float("inf")),
    Definition("brier_skill", "Brier skill", "probabilities", "higher", "1 - brier / brier of the base rate",
               "the share of the base rate's Brier score that is gained", ("skill score",), float("-inf"),
               formula_many="1 - brier / brier of always answering the class shares"),
    Definition("ece", "Expected calibration error", "probabilities", "lower",
               "sum over bins of (rows in bin / rows) × |mean score - observed share|",
               "the mean gap between probability and what happened, over equal-width bins", ("ECE",),
               formula_many="sum over bins of the largest probability of (rows in bin / rows) × |its mean - share "
               "right|", meaning_many="the mean gap between the largest probability and how often it was right, over "
               "equal-width bins"),
    Definition("mce", "Largest calibration gap", "probabilities", "lower",
               "largest |mean score - observed share| over equal-mass bins",
               "the largest gap between probability and what happened, over bins of equal mass", ("MCE",)),
    Definition("calibration_intercept", "Calibration intercept", "probabilities", "neither",
               "a in logit P(actual) = a + logit(score)",
               "how far the scores are too low (above 0) or too high on the whole (0 is right)",
               ("calibration in the large",), float("-inf"), float("inf")),
    Definition("calibration_slope", "Calibration slope", "probabilities", "neither",
               "b in logit P(actual) = a + b·logit(score)",
               "under 1 the scores are too extreme, over 1 too timid (1 is right)", (), float("-inf"), float("inf")),
    Definition("roc_auc_macro", "ROC AUC, macro", "probabilities", "higher",
               "plain mean of each class's ROC AUC against the rest",
               "the mean area of one class against the rest", ("one-vs-rest AUC",), short="Macro AUC"),
)  # fmt: skip

METRICS: dict[str, Definition] = {d.name: d for d in _ALL}
COUNT_METRICS = tuple(d.name for d in _ALL if d.needs == "counts")
RANKED = ("roc_auc", "average_precision", "ks")
PROBABLE = ("brier", "brier_skill", "log_loss", "ece", "mce", "calibration_intercept", "calibration_slope")
TWO_CLASSES = (*COUNT_METRICS, *RANKED, *PROBABLE)
MANY_COUNTS = ("accuracy", "balanced_accuracy", "mcc", "kappa")
MANY_PROBABLE = ("roc_auc_macro", "log_loss", "brier", "brier_skill", "ece")
MANY_CLASSES = (*MANY_COUNTS, *MANY_PROBABLE)
# What stands side by side where nobody chose otherwise.
HEADLINE = ("roc_auc", "average_precision", "brier", "accuracy", "recall", "precision", "f1")
HEADLINE_MANY = ("accuracy", "balanced_accuracy", "mcc", "kappa", "roc_auc_macro", "log_loss", "brier")
