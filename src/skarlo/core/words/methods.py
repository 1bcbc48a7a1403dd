"""The texts under numbers: how each interval and test is made, and what each number says of the counts.

In a template {TP} is a count, {TP_rows} the same with its noun ("1 row", "132 rows"), {TP_were} its verb.
"""

from __future__ import annotations

SUFFIXES = {
    "_weighted": ", with the rows' sampling weights",
    "_clustered": ", with rows that belong together counted so",
}
INTERVALS = {
    "mover_shifted": "hybrid of the two rates' Wilson intervals at the best cutoff, the low end less the bias of a "
    "largest gap",
    "inverted": "the gaps that a test of the bins, their noise drawn, would not reject",
    "wald": "normal theory from the information matrix",
    "wald_robust": "normal theory that stands whether or not the slope is 1 (White 1982)",
    "mover_classes": "hybrid of the classes' own intervals, correlated as their rows are",
    "multinomial": "quantiles over matrices drawn again from the counts",
    "wilson": "Wilson score interval of a proportion",
    "wilson_mapped": "Wilson score interval of TP / (TP + FP + FN), carried over to F1",
    "mover": "hybrid of the two rates' Wilson intervals (Zou and Donner 2008)",
    "dirichlet": "quantiles of matrices scattered around the counts (Dirichlet)",
    "delong_logit": "DeLong's variance on the logit scale",
    "newcombe5": "the wider of DeLong's and Newcombe's (2006) method 5, for few rows or an area near its bound",
    "influence_logit": "each row's influence on the average, on the logit scale",
    "binomial_logit": "binomial variance on the logit scale, for fewer than 20 positives (Boyd, Eng and Page 2013)",
    "hall": "Hall's (1992) skewness-corrected interval of the mean row loss",
    "bootstrap": "quantiles over redrawn rows",
    "influence": "normal theory from each row's influence",
    "newcombe10": "Newcombe's (1998) method 10, for two shares of the same rows",
}
CARRIED = {
    "mover": "interval by the hybrid of the two own intervals (Zou and Donner 2008)",
    "mover_paired": "interval by the hybrid of the classes' differences, each by Newcombe's (1998) method 10",
    "mover_classes": "interval by the hybrid of the classes' own intervals",
}
TESTS = {
    "mover": "p where an end of the interval meets 0; interval by the hybrid of the two own intervals (Zou and Donner "
    "2008)",
    "null_score": "normal theory from the rows on which the two differ, class by class",
    "pooled_score": "score test with the recall of each class pooled",
    "mcnemar_midp": "McNemar's mid-p test of the rows on which the two differ; interval by Newcombe's (1998) method 10",
    "kosinski": "weighted generalised score test (Kosinski 2013)",
    "delta": "delta method with two rows spread over the cells (Agresti and Caffo 2000)",
    "delong_paired": "DeLong's test of two areas on the same rows",
    "influence": "normal theory from the differences of each row's influence",
    "hypergeometric_midp": "hypergeometric mid-p test; interval by the hybrid of two Wilson intervals (Newcombe 1998)",
    "delong": "normal theory from the sum of the two DeLong variances",
    "independent": "normal theory from the two rates' variances; interval by the hybrid of their Wilson intervals",
}

# Counts: title, name among the outcomes, other names, actual and predicted class, and those without an answer in it.
COUNTS = {
    "tp": ("True positives", "TP", "hits", "positive", "positive", None),
    "fp": ("False positives", "FP", "false alarms, type I errors", "negative", "positive", None),
    "fn": ("False negatives", "FN", "misses, type II errors", "positive", "negative", "unanswered_P"),
    "tn": ("True negatives", "TN", "correct rejections", "negative", "negative", None),
}


AVERAGES = {
    "macro": "The plain mean of the {metric} of each class that has rows, {parts}, is {value}; a precision that does "
    "not exist counts as 0.",
    "weighted": "The mean of the {metric} of each class, {parts}, weighted by its rows, is {value}; a precision that "
    "does not exist counts as 0.",
    "micro": "The counts of all classes pooled give {value}.",
}
MEASURES = {
    "expected_cost": ("mean cost of a row",
                      "With each cell of the matrix at its price, a row costs {value} on the mean."),
    "net_benefit": ("TP/n - FP/n · t/(1 - t)", "Acting on rows from a probability of {threshold} up is worth {value} "
                    "true positives a row, false ones taken off at their price (Vickers and Elkin 2006)."),
    "partial_area": ("area under the ROC curve up to a false-positive rate, over that rate",
                     "Over the false-positive rates up to {fpr_at_most}, the mean recall is {value}."),
    "recall_at_fpr": ("largest TP/P with FP/N within a bound",
                      "At a false-positive rate of {fpr_at_most} at most, the best recall of any cutoff is {value}."),
    "precision_at_top": ("positives among the highest scores / how many those are",
                         "Of the {rows}{share} rows with the highest scores, {value} were {pos}; where scores tie at "
                         "the edge each counts in part."),
    "top_k_accuracy": ("rows whose class is among the k likeliest / rows",
                       "In {value} of the rows the actual class was among the {k} that were given most."),
}  # fmt: skip
