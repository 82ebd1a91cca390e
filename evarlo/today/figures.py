"""What the figures mean: one definition each, for the section of Help that pages link to."""

from __future__ import annotations

FIGURES: tuple[tuple[str, str], ...] = (
    (
        "Means of shares and counts",
        "The average over blocks of what the model predicts, on the scale recorded. In complete blocks it is the mean of "
        "the entry's plots. A block or an entry with none, or with all, is an ordinary season: an entry with 0 of 40 is "
        "shown as 0 %, with an interval that has a width.",
    ),
    (
        "Intervals",
        "They hold every value whose likelihood is not too far below the greatest one, so they stay within what can be "
        "and reach further on one side near 0. A difference is significant exactly when 0 lies outside its interval.",
    ),
    (
        "More than chance",
        "Plants of one plot are often alike, and counts clump. How much more than chance plots vary is estimated from all "
        "plots; counts are taken as Poisson, clumped (negative binomial) or with extra zeros, whichever fits.",
    ),
    (
        "Weights",
        "Where plots with more also vary more, entries are compared on the logarithm or the square root and brought back. "
        "The mean is then what a plot of the entry gives on average, which may lie a little outside the range of its "
        "plots.",
    ),
    (
        "Dates of a stage",
        "A stage came after the last walk without it and by the first walk with it, whenever these were typed. A plot "
        "that had not reached it at its last walk is later than that, in every design. An entry whose plots all changed "
        "between the same two walks is known to that gap. A later walk without the stage does not take it back. A day "
        "typed for a stage is that day.",
    ),
    (
        "Days that something lasted",
        "From the first look that says yes to the first that says no, known between two looks at either end. A plot still "
        "fit at its last look counts as at least so long.",
    ),
    (
        "Keeping",
        "The share still sound, estimated over lots of different ages that were looked at on different days (Turnbull). "
        "Between two looks it is drawn as a straight line. What was lost is what neither was sound nor taken away.",
    ),
    (
        "Progress of a pest",
        "The mean between the first and the last score of each plot, missed rounds bridged; an entry has the mean of its plots.",
    ),
    (
        "Chance of beating the check",
        "It allows for the best of many entries looking better than it is and holds earlier signed seasons. An entry far "
        "from all others does not set the spread of the rest. It starts from what the other signed programmes of the place "
        "showed: how unlike entries are, how much of that goes by season, how good checks are. One season with few entries "
        "is never sure.",
    ),
    (
        "Drop, and retest where there is room",
        "An entry that promises less than a new one would gives up its place. It is dropped where it is unlikely to be "
        "better than the check by what matters; otherwise it is retested where there is room.",
    ),
    (
        "Several places",
        "Each place has an error of its own unless a test (Bartlett, p ≥ 0.2) says that they are alike.",
    ),
)
