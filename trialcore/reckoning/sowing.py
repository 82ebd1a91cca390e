"""From plants wanted to seeds, packets, trays and machine settings."""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil, comb, log


@dataclass(frozen=True)
class SeedNeed:
    """Seeds for one entry with the steps of the reckoning. `chance_empty` is that of a station without a plant,
    `expected_empty` how many of the stations that means."""

    stations: int
    seeds_per_station: int
    emergence: float
    seeds: int
    spare: int
    packets: int | None
    chance_empty: float
    expected_empty: float


def emergence_share(germination: float, field_factor: float) -> float:
    """The share of seeds that come up: germination in the test × the share of these that make it in the field."""
    for name, value in (("germination", germination), ("the field factor", field_factor)):
        if not 0 < value <= 1:
            raise ValueError(f"{name} must lie above nought and not above one")
    return germination * field_factor


def seeds_for_plants(plants: int, germination: float, field_factor: float = 1.0, spare: int = 0) -> int:
    """Seeds to sow for `plants` on average: plants ÷ (germination × field factor), rounded up, + `spare`."""
    if plants < 0 or spare < 0:
        raise ValueError("plants and spares must not be negative")
    return ceil(plants / emergence_share(germination, field_factor) - 1e-9) + spare


def seeds_to_sow(
    stations: int, per_station: int, germination: float, field_factor: float = 1.0, spare_share: float = 0.0, spare: int = 0
) -> int:
    """Seeds for an entry of which every station is to carry a plant, rounded up once.

    One seed a station: stations ÷ (germination × field factor), a share of that to spare, and `spare`. Several a station:
    stations × seeds a station, with spare stations in the share to spare or, where that is more, as many as are likely to stay
    empty, and `spare`; what does not come up in one is made good by its fellows, so it is not divided by a second time.

    Raises ValueError for counts below nought, or shares outside 0 to 1 (a spare share may be larger).
    """
    if stations < 0 or per_station < 1 or spare_share < 0 or spare < 0:
        raise ValueError("stations and spares must not be negative, and a station takes at least one")
    share = emergence_share(germination, field_factor)
    if per_station == 1:
        seeds = stations / share * (1 + spare_share)
    else:
        empty = (1 - share) ** per_station
        seeds = stations * per_station * max(1 + spare_share, 1 / (1 - empty))
    return ceil(seeds - 1e-9) + spare


def seeds_for_stations(
    stations: int,
    seeds_per_station: int,
    germination: float,
    field_factor: float = 1.0,
    spare: int = 0,
    packet: int | None = None,
) -> SeedNeed:
    """Seeds for stations sown with a fixed number each. Raises ValueError for counts that are not positive."""
    if stations < 1 or seeds_per_station < 1 or spare < 0 or (packet is not None and packet < 1):
        raise ValueError("stations, seeds a station and packet size must be at least one, spares not below nought")
    share = emergence_share(germination, field_factor)
    seeds = stations * seeds_per_station + spare
    empty = (1 - share) ** seeds_per_station
    packets = None if packet is None else ceil(seeds / packet)
    return SeedNeed(stations, seeds_per_station, share, seeds, spare, packets, empty, empty * stations)


def chance_of_fewer(seeds: int, emergence: float, plants: int) -> float:
    """The chance that fewer than `plants` of a station's `seeds` come up (binomial), each with the chance `emergence`."""
    return sum(comb(seeds, k) * emergence**k * (1 - emergence) ** (seeds - k) for k in range(min(plants, seeds + 1)))


def seeds_per_station(germination: float, field_factor: float, most_empty: float, plants: int = 1) -> int:
    """The fewest seeds that leave at most the share `most_empty` of stations with fewer than `plants`.

    Raises ValueError as `emergence_share`, or for a share that is not above nought and below one, or plants below one."""
    share = emergence_share(germination, field_factor)
    if not 0 < most_empty < 1 or plants < 1:
        raise ValueError("the share of empty stations must be above nought and below one, and a station holds at least a plant")
    seeds = plants if share == 1 else max(plants, ceil(log(most_empty) / log(1 - share) - 1e-9))
    while chance_of_fewer(seeds, share, plants) > most_empty + 1e-12:
        seeds += 1
    return seeds


def machine_spacing_cm(plants_per_m2: float, between_rows_cm: float, germination: float, field_factor: float = 1.0) -> float:
    """How far apart in the row (cm) a machine drops seeds for a stand of `plants_per_m2`."""
    if plants_per_m2 <= 0 or between_rows_cm <= 0:
        raise ValueError("the stand and the row distance must be above nought")
    return 1e6 * emergence_share(germination, field_factor) / (plants_per_m2 * between_rows_cm * 100)


def seeds_in_grams(grams: float, thousand_seed_g: float) -> float:
    """Seeds in a weight: 1000 · grams ÷ thousand-seed weight (g)."""
    if grams < 0 or thousand_seed_g <= 0:
        raise ValueError("the weight must not be negative and the thousand-seed weight above nought")
    return 1000 * grams / thousand_seed_g


def grams_of_seeds(seeds: float, thousand_seed_g: float) -> float:
    """Weight of seeds in grams."""
    if seeds < 0 or thousand_seed_g <= 0:
        raise ValueError("seeds must not be negative and the thousand-seed weight above nought")
    return seeds * thousand_seed_g / 1000


def trays_needed(plants: int, cells: int, fill: float = 1.0) -> int:
    """Trays of `cells` for `plants` when a share `fill` of the cells gives a plant that is fit to plant."""
    if plants < 0 or cells < 1 or not 0 < fill <= 1:
        raise ValueError("plants must not be negative, cells at least one, and the filled share between nought and one")
    return ceil(plants / (cells * fill) - 1e-9)


def medium_litres(trays: int, cells: int, cell_ml: float, spill: float = 0.1) -> float:
    """Growing medium for trays, in litres, with a share `spill` lost."""
    if trays < 0 or cells < 1 or cell_ml <= 0 or spill < 0:
        raise ValueError("trays must not be negative, cells and volume above nought, the loss not below it")
    return trays * cells * cell_ml / 1000 * (1 + spill)


def bed_length_m(plants: int, rows: int, in_row_m: float) -> float:
    """Length of bed for `plants` in `rows` rows at `in_row_m`."""
    if plants < 0 or rows < 1 or in_row_m <= 0:
        raise ValueError("plants must not be negative, rows at least one, and the spacing above nought")
    return ceil(plants / rows) * in_row_m


@dataclass(frozen=True)
class FewSeeds:
    """What fewer seeds than wanted give, sown one a station: plants on average, and those that come at least, 9 times in 10; how
    many plots these fill, and how many plants each plot gets where all get alike."""

    mean: float
    surely: int
    full_plots: int
    a_plot: int


def few_seeds(seeds: int, share: float, plots: int, stations: int) -> FewSeeds:
    """What `seeds` give where a `share` of them (0 to 1) becomes plants, for `plots` of `stations` each: counts of plants are
    binomial. Raises ValueError for a share outside 0 to 1, or counts below nought, plots and stations below one."""
    if not 0 <= share <= 1 or seeds < 0 or min(plots, stations) < 1:
        raise ValueError("seeds are at least nought, plots and stations at least one, and a share lies from 0 to 1")
    from scipy.stats import binom

    surely = int(binom.ppf(0.1, seeds, share)) if seeds and share else 0
    return FewSeeds(seeds * share, surely, min(plots, surely // stations), min(stations, surely // plots))
