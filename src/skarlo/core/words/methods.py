"""The texts under numbers: how each interval and test is made, and what each number says of the counts.

In a template {TP} is a count, {TP_rows} the same with its noun ("1 row", "132 rows"), {TP_were} its verb.
"""

from __future__ import annotations

SUFFIXES = {
    "_weighted": ", with the rows' sampling weights",
    "_clustered": ", with rows that belong together counted so",
}
INTERVALS = {
    "bootstrap_shifted": "quantiles over redrawn counts, the low end moved down by twice the bias",
    "wald": "normal theory from the information matrix",
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
}
TESTS = {
    "mcnemar_midp": "McNemar's mid-p test of the rows on which the two differ; interval by Newcombe's (1998) method 10",
    "kosinski": "weighted generalised score test (Kosinski 2013)",
    "delta": "delta method on the joint counts of the actual class and the two predicted ones",
    "delong_paired": "DeLong's test of two areas on the same rows",
    "influence": "normal theory from the differences of each row's influence",
    "hypergeometric_midp": "hypergeometric mid-p test; interval by Newcombe's hybrid of the two Wilson intervals",
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


SENTENCES = {
    "accuracy": "{name} predicted the actual class of {right} of the {rows_rows}: ({TP} + {TN}) / {rows} = {value}.",
    "balanced_accuracy": "The mean of {TP} / {P} on {pos} and {TN} / {N} on {neg} is {value}.",
    "precision": "Of the {flagged_rows} it predicted {pos}, {TP} {TP_were}: {TP} / {flagged} = {value}.",
    "recall": "Of the {P_rows} that {P_were} {pos}, it found {TP}{left_P}: {TP} / {P} = {value}.",
    "specificity": "Of the {N_rows} that {N_were} {neg}, it predicted {TN} so{left_N}: {TN} / {N} = {value}.",
    "npv": "Of the {passed_rows} it predicted {neg}, {TN} {TN_were}: {TN} / {passed} = {value}.",
    "f1": "It found {TP}, missed {FN}{left_P} and predicted {FP} {pos} that {FP_were} not: "
    "2 × {TP} / (2 × {TP} + {FP} + {FN}) = {value}.",
    "mcc": "From the four counts {TP}, {FP}, {FN} and {TN}, the correlation of actual and predicted class is {value}; "
    "0 is no relation, 1 is perfect.",
    "kappa": "On {right} of {rows_rows} actual and predicted class agree; beyond what the row and column totals alone "
    "would give, that is {value} of what was left to gain.",
    "youden_j": "{TP} / {P} on {pos} plus {TN} / {N} on {neg}, less one, is {value}.",
    "fpr": "Of the {N_rows} that {N_were} {neg}, it predicted {FP} {pos}{left_N}: {FP} / {N} = {value}.",
    "fnr": "Of the {P_rows} that {P_were} {pos}, it missed {FN}{left_P}: {FN} / {P} = {value}.",
    "flagged_share": "It predicted {flagged} of the {rows_rows} {pos}: {flagged} / {rows} = {value}.",
    "prevalence": "{P} of the {rows_rows} {P_were} {pos}: {P} / {rows} = {value}.",
    "roc_auc": "Of the {P} × {N} = {pairs} pairs of one {pos} and one {neg} row, the {pos} row scores higher in "
    "{ordered} (ties counted half): {value}. A score that knows nothing gives 0.500.",
    "average_precision": "Going down the scores, the precision at each of the {P_rows} that {P_were} {pos}, averaged: "
    "{value}. A score that knows nothing gives the base rate, {chance}.",
    "brier": "Over {rows_rows}, the mean of (score − what happened)², with {pos} as 1, is {value}. "
    "Always answering the base rate gives {flat}.",
    "ks": "At the cutoff where they are furthest apart, the share of {pos} found exceeds the share of {neg} flagged by "
    "{value}.",
    "brier_skill": "Of the base rate's Brier score it gains {value}; 0 is no better than the base rate, 1 is perfect.",
    "ece": "In bins of equal width, the mean score and the share that was {pos} differ by {value} on the mean row"
    "{chance_gap}.",
    "mce": "In bins of equal mass, the widest gap between mean score and the share that was {pos} is {value}.",
    "calibration_intercept": "On the logit scale the scores are {size} too {side} on the whole; 0 is right.",
    "calibration_slope": "On the logit scale what happened moves by {value} for each unit of score; under 1 the scores "
    "are too extreme, over 1 too timid.",
    "log_loss": "Over {rows_rows}, the mean of −ln(the probability given to what happened) is {value}.",
}

# Three classes or more.
MANY = {
    "accuracy": "{name} predicted the actual class of {right} of the {rows_rows}: {right} / {rows} = {value}.",
    "balanced_accuracy": "The mean of the recall of each class that has rows, {parts}, is {value}.",
    "mcc": "From the whole matrix of {rows_rows}, the correlation of actual and predicted class is {value}; 0 is no "
    "relation, 1 is perfect.",
    "kappa": SENTENCES["kappa"],
    "roc_auc_macro": "The mean of the areas of each class against the rest, {areas}, is {value}.",
    "log_loss": SENTENCES["log_loss"],
    "brier": "Over {rows_rows}, the mean of the squared distances of the class probabilities from what happened, "
    "summed over the classes, is {value}.",
    "brier_skill": "Of the Brier score of always answering the class shares it gains {value}; 0 is no better than "
    "these, 1 is perfect.",
    "ece": "In bins of equal width of the largest probability, its mean and the share that was right differ by {value} "
    "on the mean row{chance_gap}.",
}
AVERAGES = {
    "macro": "The plain mean of the {metric} of each class that has rows, {parts}, is {value}; a precision that does "
    "not exist counts as 0.",
    "weighted": "The mean of the {metric} of each class, {parts}, weighted by its rows, is {value}; a precision that "
    "does not exist counts as 0.",
    "micro": "The counts of all classes pooled give {value}.",
}
RESTATED = {
    "precision": "If {pi} of the rows were {pos} where it will run, {value} of those it predicted so would be: "
    "{pi} × {r} / ({pi} × {r} + (1 − {pi}) × {f}).",
    "flagged_share": "If {pi} of the rows were {pos} where it will run, it would predict {value} of them so: "
    "{pi} × {r} + (1 − {pi}) × {f}.",
    "npv": "If {pi} of the rows were {pos} where it will run, {value} of those it predicted {neg} would be.",
    "average_precision": "If {pi} of the rows were {pos} where it will run, its average precision would be {value}.",
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
