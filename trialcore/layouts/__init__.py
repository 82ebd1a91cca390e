"""Which entry goes where: every design from its names and a seed, and what can be said of the result.

`plan` holds what all of them give; one module a family of designs; `neighbours` checks a layout in the ground.
"""
