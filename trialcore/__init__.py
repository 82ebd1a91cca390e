"""The science of a trial garden: pure functions of numbers.

Nothing here knows a web page, a database, a clock or a file. Randomness comes in as a seed and today's date as an
argument; plain values and arrays go in, frozen dataclasses come out. `numpy` is loaded at import, the parts of
`scipy` only inside the functions that need them.

In the order of the work:

    bed, layout, path      from entries and blocks to plots in the ground
    power                  what difference such a trial can tell apart
    stages, picks          from dates and weights to days and yields
    sheet                  a trial read from delimited text, every bad cell named
    linear, blocks         the least-squares model of the design
    comparisons            against the check, all pairs, chances
    verdict                recommend, retest or drop
    figures                the results as plain JSON
    simulate               a season whose truth is known
"""
