"""Partner growers: a small trial elsewhere with the same check, recorded on one page by whoever has its link, or on paper.

`services` makes it, takes in what comes back and ends it; `quality` says how far it can be gone by, which the programme takes as
its weight; `own_views` is the grower's page, `views` those of the manager."""
