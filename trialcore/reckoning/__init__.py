"""Arithmetic before and around the plots: seed, trays, doses, tasks, and where every plant went.

In this room:

    sowing, trays      from plants wanted to seeds, packets and cells
    germination        tests of seed lots: how many, how sure, how fast, which lot is better
    doses              how much of a material a plot gets
    names              names that may mean one cultivar
    rotation           what stood where before, and two crops that want one place
    schedule           when the tasks of a season fall, and what moves with what
    frost              one frost risk for a place, moved by what a bed stands under
    raising_space      room for trays, and when it would be too little
    sitting            a sitting of sowing held against what the crop wants
    balance, resow     every seed accounted for; whether to sow an entry again
    shortage           too few plants: the ways out, and what each leaves of the trial
    hardening          getting raised plants used to the open
    withholding        how long a treatment keeps people and harvest away
    fairness           whether entries were treated alike in all but their names
    selection          segregating generations: how many plants to grow, how fixed a line is
    fixation           the same for any path of matings: selfed, sibbed, open, backcrossed, cloned
    segregation        classes of plants against a ratio; how frequent the wanted plant is
    response           what selecting brings, families against plants, how even a line is
"""
