"""Designs in the ground: which entry goes where, and what can be said of the result.

In this room:

    plan          what every design gives: plots in order, with replicate, block and place in the field's own grid
    whole         designs in which every replicate holds everything: none, complete blocks, squares, factorials, strips
    incomplete    designs whose blocks do not hold every entry: alpha layouts, augmented blocks
    neighbours    the conditions a layout should meet in the ground, and a plain report of those it does not
    bed           beds, plots and plants in metres
    placing       from a layout to plots in real beds
    serving       in which order judges taste, under which codes
    paths         the numbers on the stakes and the path that is walked
    shade         which beds of a site a tall crop shades
    earth         where plots lie on the earth, for maps
"""
