"""What each metric of scores and probabilities is: everything that is said of it, and by which way it is compared."""

from __future__ import annotations

from .registry import Definition

OF_SCORES = (
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
        meaning_many=("the mean gap between the largest probability and how often it was right, over equal-width bins"),
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
