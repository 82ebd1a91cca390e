"""What is seen in the field, and what it amounts to.

In this room:

    weather, degree_days   the daily record of a site; warmth summed, the length of the day
    emergence              how entries come up, against each other and against what their lots promised
    stages                 days to a stage that was seen only on the walk after it came
    samples                several plants of one plot: their running mean and how evenly they stand
    incidence, progress    how much of a trial has a pest, and the area under its course
    clustering             whether what is seen lies together in the ground
    raters, leaves         whether people score alike; drawn leaves of known damage to practise on
    stand                  how many plants a plot carries on a day
    picks, storage         from the picks of a plot to its yield and earliness; how long a lot keeps
    standing               how long what is ready stays fit to sell in the field
    rounds                 when a crop that is picked again and again is ripe for the next round
    grading, moisture      a lot of which only some were graded; weights brought to one moisture
    simulated_season       a season whose truth is known, in the shape that a trial records
"""
