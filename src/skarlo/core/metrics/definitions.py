"""What each metric is: everything that is said of it, and by which way it is compared. One entry, one metric.

The rest of the house asks here and names no metric that is not of its own making.
"""

from __future__ import annotations

from .registry import Definition, Registry

METRICS = Registry(
    (
        Definition(
            name="accuracy",
            title="Accuracy",
            needs="counts",
            classes="any",
            better="higher",
            formula="(TP + TN) / rows",
            formula_many="rows predicted right / rows",
            meaning="the share of rows predicted right",
            also=("proportion correct", "1 - error rate"),
            over=("right", "rows"),
            why="there are no rows",
            paired="agreement",
            rest="rate",
            says="{name} predicted the actual class of {right} of the {rows_rows}: ({TP} + {TN}) / {rows} = {value}.",
            says_many="{name} predicted the actual class of {right} of the {rows_rows}: {right} / {rows} = {value}.",
        ),
        Definition(
            name="balanced_accuracy",
            title="Balanced accuracy",
            short="Balanced acc",
            needs="counts",
            classes="any",
            better="higher",
            formula="(TP/P + TN/N) / 2",
            formula_many="mean over the classes of (rows found / rows of the class)",
            meaning="the plain mean of the recall of each class",
            also=("macro recall",),
            paired="recalls",
            rest="recalls",
            says="The mean of {TP} / {P} on {pos} and {TN} / {N} on {neg} is {value}.",
            says_many="The mean of the recall of each class that has rows, {parts}, is {value}.",
        ),
        Definition(
            name="precision",
            title="Precision",
            needs="counts",
            better="higher",
            formula="TP / (TP + FP)",
            meaning="of the rows predicted positive, the share that were",
            also=("positive predictive value", "PPV"),
            over=("TP", "flagged"),
            why="no row is predicted {positive}",
            paired="predictive",
            rest="rate",
            waits_for="positive",
            each_class=True,
            says="Of the {flagged_rows} it predicted {pos}, {TP} {TP_were}: {TP} / {flagged} = {value}.",
            says_expected=(
                "If {pi} of the rows were {pos} where it will run, {value} of those it predicted so would be: {pi} × "
                "{r} / ({pi} × {r} + (1 − {pi}) × {f})."
            ),
        ),
        Definition(
            name="recall",
            title="Recall",
            needs="counts",
            better="higher",
            formula="TP / (TP + FN)",
            meaning="of the rows that were positive, the share predicted so",
            also=("sensitivity", "true-positive rate", "TPR"),
            over=("TP", "P"),
            why="no row is actually {positive}",
            paired="agreement",
            rest="rate",
            waits_for="positive",
            each_class=True,
            says="Of the {P_rows} that {P_were} {pos}, it found {TP}{left_P}: {TP} / {P} = {value}.",
        ),
        Definition(
            name="specificity",
            title="Specificity",
            needs="counts",
            better="higher",
            formula="TN / (TN + FP)",
            meaning="of the rows that were negative, the share predicted so",
            also=("true-negative rate", "selectivity"),
            over=("TN", "N"),
            why="no row is actually {negative}",
            paired="agreement",
            rest="rate",
            waits_for="negative",
            each_class=True,
            says="Of the {N_rows} that {N_were} {neg}, it predicted {TN} so{left_N}: {TN} / {N} = {value}.",
        ),
        Definition(
            name="npv",
            title="Negative predictive value",
            needs="counts",
            better="higher",
            formula="TN / (TN + FN)",
            meaning="of the rows predicted negative, the share that were",
            also=("NPV",),
            over=("TN", "passed"),
            why="no row is predicted {negative}",
            paired="predictive",
            rest="rate",
            waits_for="negative",
            each_class=True,
            says="Of the {passed_rows} it predicted {neg}, {TN} {TN_were}: {TN} / {passed} = {value}.",
            says_expected=(
                "If {pi} of the rows were {pos} where it will run, {value} of those it predicted {neg} would be."
            ),
        ),
        Definition(
            name="f1",
            title="F1",
            needs="counts",
            better="higher",
            formula="2 TP / (2 TP + FP + FN)",
            meaning="the harmonic mean of precision and recall",
            also=("F-measure", "Dice coefficient"),
            over=("TP", "union"),
            why="no row is actually or predicted {positive}",
            paired="spread",
            rest="rate",
            waits_for="positive",
            each_class=True,
            says=(
                "It found {TP}, missed {FN}{left_P} and predicted {FP} {pos} that {FP_were} not: 2 × {TP} / (2 × "
                "{TP} + {FP} + {FN}) = {value}."
            ),
        ),
        Definition(
            name="mcc",
            title="Matthews correlation",
            short="MCC",
            needs="counts",
            classes="any",
            better="higher",
            lower=-1.0,
            formula="(TP·TN - FP·FN) / sqrt((TP + FP)(TP + FN)(TN + FP)(TN + FN))",
            formula_many=(
                "(right·n - Σ actual·predicted) / sqrt((n² - Σ actual²)(n² - Σ predicted²)), sums over the classes "
                "(Gorodkin 2004)"
            ),
            meaning="the correlation of actual and predicted class",
            also=("MCC", "phi coefficient"),
            paired="spread",
            rest="spread",
            says=(
                "From the four counts {TP}, {FP}, {FN} and {TN}, the correlation of actual and predicted class is "
                "{value}; 0 is no relation, 1 is perfect."
            ),
            says_many=(
                "From the whole matrix of {rows_rows}, the correlation of actual and predicted class is {value}; 0 "
                "is no relation, 1 is perfect."
            ),
        ),
        Definition(
            name="kappa",
            title="Cohen's kappa",
            short="Kappa",
            needs="counts",
            classes="any",
            better="higher",
            lower=-1.0,
            formula="(observed - expected) / (1 - expected agreement)",
            meaning="agreement beyond what the margins alone would give",
            also=("κ",),
            paired="spread",
            rest="spread",
            says=(
                "On {right} of {rows_rows} actual and predicted class agree; beyond what the row and column totals "
                "alone would give, that is {value} of what was left to gain."
            ),
        ),
        Definition(
            name="youden_j",
            title="Youden's J",
            needs="counts",
            better="higher",
            lower=-1.0,
            formula="TP/P + TN/N - 1",
            meaning="recall plus specificity, less one",
            also=("informedness",),
            paired="recalls",
            rest="recalls",
            says="{TP} / {P} on {pos} plus {TN} / {N} on {neg}, less one, is {value}.",
        ),
        Definition(
            name="fpr",
            title="False-positive rate",
            needs="counts",
            better="lower",
            formula="FP / (FP + TN)",
            meaning="of the rows that were negative, the share predicted positive",
            also=("false-alarm rate", "1 - specificity"),
            over=("FP", "N"),
            why="no row is actually {negative}",
            paired="agreement",
            rest="rate",
            waits_for="negative",
            each_class=True,
            says="Of the {N_rows} that {N_were} {neg}, it predicted {FP} {pos}{left_N}: {FP} / {N} = {value}.",
        ),
        Definition(
            name="fnr",
            title="False-negative rate",
            needs="counts",
            better="lower",
            formula="FN / (TP + FN)",
            meaning="of the rows that were positive, the share missed",
            also=("miss rate", "1 - recall"),
            over=("FN", "P"),
            why="no row is actually {positive}",
            paired="agreement",
            rest="rate",
            waits_for="positive",
            each_class=True,
            says="Of the {P_rows} that {P_were} {pos}, it missed {FN}{left_P}: {FN} / {P} = {value}.",
        ),
        Definition(
            name="flagged_share",
            title="Flagged share",
            needs="counts",
            better="neither",
            formula="(TP + FP) / rows",
            meaning="the share of rows predicted positive",
            also=("predicted prevalence",),
            over=("flagged", "rows"),
            why="there are no rows",
            rest="rate",
            each_class=True,
            says="It predicted {flagged} of the {rows_rows} {pos}: {flagged} / {rows} = {value}.",
            says_expected=(
                "If {pi} of the rows were {pos} where it will run, it would predict {value} of them so: {pi} × {r} + "
                "(1 − {pi}) × {f}."
            ),
        ),
        Definition(
            name="prevalence",
            title="Prevalence",
            needs="counts",
            better="neither",
            formula="(TP + FN) / rows",
            meaning="the share of rows that are positive",
            also=("base rate",),
            over=("P", "rows"),
            why="there are no rows",
            rest="rate",
            each_class=True,
            says="{P} of the {rows_rows} {P_were} {pos}: {P} / {rows} = {value}.",
        ),
        Definition(
            name="roc_auc",
            title="ROC AUC",
            needs="scores",
            better="higher",
            formula="pairs in order / (P·N), ties half",
            meaning="the chance that a positive row scores above a negative one",
            also=("area under the ROC curve", "c-statistic", "Mann-Whitney U / (P·N)"),
            paired="areas",
            rest="carried",
            waits_for="smaller",
            each_class=True,
            says=(
                "Of the {P} × {N} = {pairs} pairs of one {pos} and one {neg} row, the {pos} row scores higher in "
                "{ordered} (ties counted half): {value}. A score that knows nothing gives 0.500."
            ),
        ),
        Definition(
            name="average_precision",
            title="Average precision",
            short="Avg precision",
            needs="scores",
            better="higher",
            formula="sum over distinct scores, downwards, of (recall step) × precision",
            meaning="precision averaged over the recall steps",
            also=("AP", "area under the precision-recall steps"),
            paired="steps",
            rest="carried",
            waits_for="positive",
            each_class=True,
            says=(
                "Going down the scores, the precision at each of the {P_rows} that {P_were} {pos}, averaged: "
                "{value}. A score that knows nothing gives the base rate, {chance}."
            ),
            says_expected="If {pi} of the rows were {pos} where it will run, its average precision would be {value}.",
        ),
        Definition(
            name="ks",
            title="KS distance",
            needs="scores",
            better="higher",
            formula="largest (TP/P - FP/N) over all cutoffs",
            meaning="the largest gap between the two classes' score distributions",
            also=("Kolmogorov-Smirnov distance",),
            waits_for="smaller",
            says=(
                "At the cutoff where they are furthest apart, the share of {pos} found exceeds the share of {neg} "
                "flagged by {value}."
            ),
        ),
        Definition(
            name="roc_auc_macro",
            title="ROC AUC, macro",
            short="Macro AUC",
            needs="probabilities",
            classes="many",
            better="higher",
            formula="plain mean of each class's ROC AUC against the rest",
            meaning="the mean area of one class against the rest",
            also=("one-vs-rest AUC",),
            paired="macro",
            says_many="The mean of the areas of each class against the rest, {areas}, is {value}.",
        ),
        Definition(
            name="roc_auc_micro",
            title="ROC AUC, pooled",
            short="Pooled AUC",
            needs="probabilities",
            classes="many",
            better="higher",
            formula="ROC AUC over all pairs of a row and a class",
            meaning="the share of pairs in which a class that was so has more probability than one that was not",
            also=("micro-averaged AUC",),
            paired="pooled",
            says_many="Over all pairs of a row and a class, positive where the row is of it, the area is {value}.",
        ),
        Definition(
            name="average_precision_micro",
            title="Average precision, pooled",
            short="Pooled precision",
            needs="probabilities",
            classes="many",
            better="higher",
            formula="average precision over all pairs of a row and a class",
            meaning="the mean precision over all pairs of a row and a class, by steps",
            also=("micro-averaged average precision",),
            paired="pooled",
            says_many=(
                "Over all pairs of a row and a class, positive where the row is of the class, the mean precision is "
                "{value}."
            ),
        ),
        Definition(
            name="brier",
            title="Brier score",
            short="Brier",
            needs="probabilities",
            classes="any",
            better="lower",
            upper=2.0,
            formula="mean of (score - actual)²",
            formula_many="mean over the rows of the sum over the classes of (probability - actual)²",
            meaning="the mean squared distance of the probability from what happened",
            meaning_many="the squared distance of the class probabilities from what happened, summed over the classes",
            also=("mean squared error",),
            paired="losses",
            rest="carried",
            says=(
                "Over {rows_rows}, the mean of (score − what happened)², with {pos} as 1, is {value}. Always "
                "answering the base rate gives {flat}."
            ),
            says_many=(
                "Over {rows_rows}, the mean of the squared distances of the class probabilities from what happened, "
                "summed over the classes, is {value}."
            ),
        ),
        Definition(
            name="brier_skill",
            title="Brier skill",
            needs="probabilities",
            classes="any",
            better="higher",
            lower=float("-inf"),
            formula="1 - brier / brier of the base rate",
            formula_many="1 - brier / brier of always answering the class shares",
            meaning="the share of the base rate's Brier score that is gained",
            also=("skill score",),
            says="Of the base rate's Brier score it gains {value}; 0 is no better than the base rate, 1 is perfect.",
            says_many=(
                "Of the Brier score of always answering the class shares it gains {value}; 0 is no better than "
                "these, 1 is perfect."
            ),
        ),
        Definition(
            name="log_loss",
            title="Log loss",
            needs="probabilities",
            classes="any",
            better="lower",
            upper=float("inf"),
            formula="mean of -ln(probability of the actual class)",
            meaning="the mean surprise at what happened",
            also=("cross-entropy", "negative log-likelihood per row"),
            paired="losses",
            rest="carried",
            says="Over {rows_rows}, the mean of −ln(the probability given to what happened) is {value}.",
        ),
        Definition(
            name="ece",
            title="Expected calibration error",
            needs="probabilities",
            classes="any",
            better="lower",
            formula="sum over bins of (rows in bin / rows) × |mean score - observed share|",
            formula_many="sum over bins of the largest probability of (rows in bin / rows) × |its mean - share right|",
            meaning="the mean gap between probability and what happened, over equal-width bins",
            meaning_many=(
                "the mean gap between the largest probability and how often it was right, over equal-width bins"
            ),
            also=("ECE",),
            says=(
                "In bins of equal width, the mean score and the share that was {pos} differ by {value} on the mean "
                "row{chance_gap}."
            ),
            says_many=(
                "In bins of equal width of the largest probability, its mean and the share that was right differ by "
                "{value} on the mean row{chance_gap}."
            ),
        ),
        Definition(
            name="ece_classwise",
            title="Calibration error by class",
            short="ECE by class",
            needs="probabilities",
            classes="many",
            better="lower",
            formula="plain mean over the classes of each one's expected calibration error against the rest",
            meaning="the mean gap between each class's probability and how often it was so",
            also=("classwise ECE",),
            says_many="The mean over the classes of the gap between probability and what happened is {value}.",
        ),
        Definition(
            name="ece_by_answer",
            title="Calibration error by answer",
            short="ECE by answer",
            needs="probabilities",
            classes="many",
            better="lower",
            formula="sum over the classes of (rows predicted so / rows) × expected calibration error of those rows",
            meaning="the gap between the largest probability and how often it was right, among rows predicted alike",
            also=("top-label ECE",),
            says_many=(
                "Among the rows that are predicted the same class, the largest probability and the share that was "
                "right differ by {value} on the mean row{chance_gap}."
            ),
        ),
        Definition(
            name="mce",
            title="Largest calibration gap",
            needs="probabilities",
            better="lower",
            formula="largest |mean score - observed share| over equal-mass bins",
            meaning="the largest gap between probability and what happened, over bins of equal mass",
            also=("MCE",),
            says="In bins of equal mass, the widest gap between mean score and the share that was {pos} is {value}.",
        ),
        Definition(
            name="calibration_intercept",
            title="Calibration intercept",
            needs="probabilities",
            better="neither",
            lower=float("-inf"),
            upper=float("inf"),
            formula="a in logit P(actual) = a + logit(score)",
            meaning="how far the scores are too low (above 0) or too high on the whole (0 is right)",
            also=("calibration in the large",),
            says="On the logit scale the scores are {size} too {side} on the whole; 0 is right.",
        ),
        Definition(
            name="calibration_slope",
            title="Calibration slope",
            needs="probabilities",
            better="neither",
            lower=float("-inf"),
            upper=float("inf"),
            formula="b in logit P(actual) = a + b·logit(score)",
            meaning="under 1 the scores are too extreme, over 1 too timid (1 is right)",
            says=(
                "On the logit scale what happened moves by {value} for each unit of score; under 1 the scores are "
                "too extreme, over 1 too timid."
            ),
        ),
    )
)
# What stands side by side where nobody chose otherwise.
HEADLINE = ("roc_auc", "average_precision", "brier", "accuracy", "recall", "precision", "f1")
HEADLINE_MANY = ("accuracy", "balanced_accuracy", "mcc", "kappa", "roc_auc_macro", "log_loss", "brier")
