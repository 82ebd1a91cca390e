"""The science of a trial garden: pure functions of numbers.

Nothing here knows a web page, a database or a clock, and only `cli` reads files. Randomness comes in as a seed and today's
date as an argument; plain values and arrays go in, frozen dataclasses come out. `numpy` is loaded at import, the parts of
`scipy` only inside the functions that need them.

In the order of the work:

    layouts, layout        every design from entries and a seed; its neighbours in the ground, its place in a bed
    bed                    complete blocks fitted into a bed, plants at their stations
    power                  what difference each design can tell apart, and how many replicates or seasons that takes
    sowing, germination    from plants wanted to seeds, trays and machine settings; tests of seed lots
    heat, stages, progress degree days, dates seen between two walks, disease over time
    raters, ranks          whether people score alike
    picks, keeping         from weights to yield, earliness and evenness; how long a lot keeps
    sheet, table, plots    trials and small tables read from delimited text, every bad cell named

    linear, mixed          least squares on labelled terms; variance components by REML
    blocks, incomplete, augmented, strata, factorial, paired, counts
                           the analysis of each design and kind of record
    environments, environment_plots
                           several places and seasons: stability, interaction, two stages
    spatial, smooth        gradients in the ground
    comparisons, letters, distributions
                           against the check, all pairs, chances, equivalence
    index, verdict, seasons
                           several traits together; recommend, retest or drop, in one season and over several
    selection              segregating generations

    designs, figures       which analysis goes with which design, and its results as plain JSON
    simulate               seasons whose truth is known
    cli                    all of it from the command line
"""
