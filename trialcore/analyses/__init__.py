"""One module a design or kind of record; `choice` decides which goes with which.

In this room:

    choice                       design and kind of record to analysis: the one place that decides
    entries                      how entries compare in one trial, whatever its design
    evidence                     a comparison in the shape in which several traits are weighed against each other
    pairs                        every pair of entries of a comparison, and the letters that say who could not be told apart
    linear, mixed                least squares on labelled terms; variance components by REML
    mixed_means                  means and differences that a mixed model gives, in the shape of a plain analysis
    blocks, incomplete, augmented  complete, incomplete and augmented blocks
    strata, factorial, two_factors  plots of two sizes; crossed factors; entries over the levels of a second factor
    paired                       an entry beside the check, seasons as replicates
    environments, environment_plots  several places and seasons: stability, interaction, two stages
    programme, parts             trials over years and places, in one stage or two; variances by REML beside known errors
    ground                       whether the ground runs: blocks against neighbours, and what taking it out is worth
    correlated                   neighbours alike by rows and columns, by a banded factor
    sisters            single plants among their sisters, the ground taken out by checks
    relatives          lines that are related: the relationship of a pedigree, predictions that use it
    spatial, smooth              gradients in the ground: correlated neighbours, a smooth surface
    scales                       weights on the square root or the logarithm, where plots vary alike there
    generalised                  counted units and plain counts over blocks, plots varying more than chance allowed for
    counted_families, counted_fit  how counted plots vary by their mean; their models by maximum likelihood, plain or penalised
    counted_spread, dispersion   counts with clumps or extra zeros; how much more than chance plots vary, and how surely
    own_likelihood               intervals of means and differences from the likelihood of each entry's own plots
    covariance                   a second measure of the plots allowed for: means at one stand, one age, one date
    places                       one trial in several environments: who keeps their side of the check from tunnel to open
    interval_dates               days between two walks in any design, the spread integrated over
    ordinal, censored            scores by proportional odds; days between two looks, by three shapes or none
    times, ranks                 days known to the count; scores by their ranks
    keeping                      lots in store, lost between two looks: how long entries keep, against the check
    categories                   one of several kinds: plots of each, and whether entries differ
    panel                        a tasting: entries over judges, and how far judges agree with each other and themselves
    partners                     a small trial elsewhere beside the main site: how far it can be gone by
    printing                     results as small tables, as a statistician reads them
"""
