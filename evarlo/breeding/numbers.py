"""The numbers before a generation is sown, from what is typed to sentences."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from evarlo.ui.words import counted
from trialcore.reckoning.fixation import Mating, along
from trialcore.reckoning.response import Split, intensity, response, splits
from trialcore.reckoning.segregation import Linked, Wanted, share_of_all
from trialcore.reckoning.selection import chance_all_fixed, generation_for, plants_to_grow
from trialcore.reckoning.sowing import seeds_for_plants

SHOWN = 5  # ways to share plants out
GENERATIONS = range(1, 9)
LOCI = (1, 5, 20)


@dataclass(frozen=True)
class Found:
    """What the numbers come to: sentences, the ways to share out plants, and how fixed each generation is."""

    wanted: str
    response: str
    seeds: str
    splits: tuple[Split, ...]
    fixation: tuple[tuple[str, float, tuple[float, ...]], ...]
    fixed_by: str


def found_of(data: Mapping[str, Any]) -> Found:
    """Reckon from the fields of `NumbersForm`."""
    looks: dict[str, Wanted] = {"dominant": "dominant", "recessive": "recessive"}
    genes = [look for name, look in looks.items() for _ in range(data[name])]
    linked = None if data.get("linked") is None else Linked(data["linked"] / 100, bool(data.get("coupled")))
    share = share_of_all(genes, linked, data["selfings"])
    plants = plants_to_grow(share, data["at_least"], data["chance"] / 100)
    called = f"F{data['selfings'] + 1}"
    h2, total, kept = data["heritability"] / 100, data["total"], data["kept"]
    gain = response(total, kept, h2, 1.0)
    wanted, comes_up, chance = data["next_plants"], data["germination"] / 100, data["chance"]
    usual, surely = seeds_for_plants(wanted, comes_up), plants_to_grow(comes_up, wanted, chance / 100)
    return Found(
        f"One {called} plant in {1 / share:.0f} shows all of it. To find {counted(data['at_least'], 'such plant')} "
        f"with a chance of {data['chance']:g} %, grow {plants}.",
        f"The best {kept} of {total} lie {intensity(total, kept):.2f} standard deviations above all; their offspring are expected "
        f"{gain:.2f} genetic standard deviations above the generation's mean: {100 * h2:g} % of a plant's lead is its own.",
        f"{usual} seeds of each give {counted(wanted, 'plant')} on average. "
        f"To have them with a chance of {chance:g} %, sow {surely}. Keep the rest as remnant.",
        tuple(splits(total, h2, data["fixed"] / 100)[:SHOWN]),
        tuple(
            (f"F{g}", 100 * along([Mating.SELFED] * (g - 1)).fixed, tuple(100 * chance_all_fixed(g, n) for n in LOCI))
            for g in GENERATIONS
        ),
        f"Selfed, a line is at 95 % from the F{generation_for(0.95)} on.",
    )
