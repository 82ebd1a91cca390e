"""The science of a trial garden: pure functions of numbers.

Nothing here knows a web page, a database or a clock, and only `formats.cli` reads files. Randomness comes in as a seed and
today's date as an argument; plain values and arrays go in, frozen dataclasses come out. `numpy` is loaded at import, the parts
of `scipy` only inside the functions that need them.

Six rooms, in the order of the work; each has its own index:

    layouts    designs in the ground: which entry goes where, in which bed, along which path
    reckoning  before and around the plots: seed, trays, doses, tasks, shortage, the balance of plants, rotation
    field      what is seen: weather, emergence, stages, pests, raters, picks, storage
    analyses   one module a design or kind of record; `choice` says which analysis goes with which
    inference  what the analyses let one say: comparisons, power, outliers, several traits, verdicts, seasons
    formats    sheets and tables read, figures as plain JSON, the command line
"""
