"""What the analyses let one say, and how sure that is.

In this room:

    distributions   tail probabilities: t, F, the studentized range, the largest of several |t|
    comparisons     differences from the check, all pairs, what a difference is worth
    checks          entries against several checks at once, and who stands above all of them
    season_means    what a season leaves to those after it: its means, and how well each is known
    priors          what is taken of entries and check beforehand: the library's, or learnt from other programmes
    shrunken        what a lead is expected to keep, and the chance that it is truly one, over seasons and all entries
    letters         letters beside means: entries that share one could not be told apart
    power           what difference a trial can tell apart, before it is sown
    diagnostics     whether a plain model fits its plots, and what stands out
    outliers        whether a value that was just typed is one to ask about again
    index           several traits together, must-haves, the chance of being best
    joint           joint draws of several traits, and how entries stand by weights
    foretold        what an early score foretold of what came later, and what deciding by it would have cost
    verdict         recommend, retest or drop, in one season
    another_season  how likely a retest is to settle an entry, and what it would gain
    lineup          the small set to grow: classes covered, a bad year spread
    simulated_programme  programmes with a known truth: how often a rule is wrong, what it finds and costs
    seasons         the same over several seasons, and how often such a rule is wrong
"""
