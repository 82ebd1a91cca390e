"""What descends from what, drawn from left to right, and as the core takes it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from django.urls import reverse
from django.utils.html import escape, format_html
from django.utils.safestring import SafeString, mark_safe

from evarlo.breeding.models import Cross, Grown, How, Saved
from evarlo.catalogue.models import Cultivar
from evarlo.people.permissions import allowed
from trialcore.analyses.relatives import Born

WIDE, HIGH, GAP = 128, 40, 28  # of a node, and between columns, in pixels


@dataclass(frozen=True)
class Node:
    """One member as drawn: where from (by key), its two lines of words, and where it leads."""

    key: str
    parents: tuple[str, ...]
    column: int
    title: str
    said: str
    url: str


def parent_of(saved: Saved) -> Saved | None:
    """The saved seed from which the plant grew of which this is the seed; None where it came from the cross itself."""
    grown = Grown.objects.filter(entry=saved.plot.entry_id).select_related("saved__progeny", "saved__plot__trial").first()
    return grown.saved if grown else None


def ancestors(saved: Saved) -> list[Saved]:
    """The line back to the cross, the youngest first."""
    found: list[Saved] = []
    at = parent_of(saved)
    while at is not None and at not in found:
        found.append(at)
        at = parent_of(at)
    return found


def descendants(saved: Saved) -> list[Saved]:
    """Seed saved of plants grown from it, and of plants grown from that."""
    found: list[Saved] = []
    waiting = [saved]
    while waiting:
        here = waiting.pop(0)
        later = Saved.objects.filter(plot__entry__grown__saved=here).select_related("progeny", "plot__trial__generation")
        found += later
        waiting += later
    return found


def nodes_of(cross: Cross, user: Any) -> list[Node]:
    """The two parents, the F1, and every plant of which seed was saved; each leads to its page where that opens for `user`."""
    dossiers = allowed(user, "see_names")

    def parent(key: str, cultivar: Cultivar, said: str) -> Node:
        url = reverse("dossiers:dossier", args=[cultivar.pk]) if dossiers else ""
        return Node(key, (), 0, cultivar.name, said, url)

    made = [
        parent("seed", cross.seed_parent, "seed parent"),
        parent("pollen", cross.pollen_parent, "pollen parent"),
        Node("f1", ("seed", "pollen"), 1, cross.f1.name, f"crossed {cross.on:%-d %b %Y}", cross.get_absolute_url()),
    ]
    grown = dict(Grown.objects.filter(saved__plot__trial__generation__cross=cross).values_list("entry", "saved"))
    for s in Saved.objects.of(cross):
        before = grown.get(s.plot.entry_id)
        parents = [f"s{before}" if before else "f1"]
        if s.pollen_id:
            parents.append(parents[0])
        if s.mating == How.BACKCROSSED:
            parents.append("seed")
        said = f"{s.called}, {How(s.mating).label} {s.on:%Y}"
        made.append(Node(f"s{s.pk}", tuple(dict.fromkeys(parents)), len(s.path) + 1, s.progeny.name, said, s.get_absolute_url()))
    return made


def kin_nodes(cross: Cross, kin: Iterable[Saved], user: Any) -> list[Node]:
    """The same of some lines alone, with the parents of the cross."""
    wanted = {"seed", "pollen", "f1", *(f"s{s.pk}" for s in kin)}
    return [n for n in nodes_of(cross, user) if n.key in wanted]


def drawn(nodes: Sequence[Node], here: str = "") -> SafeString:
    """The pedigree with `here` marked: parents left of their offspring, families under each other."""
    rows = _rows(nodes)
    at = {n.key: (n.column * (WIDE + GAP) + 2, rows[n.key] * (HIGH + 8) + 2) for n in nodes}
    parts = [_line(at[p], at[n.key]) for n in nodes for p in n.parents if p in at]
    parts += [_box(n, *at[n.key], n.key == here) for n in nodes]
    width = max(x for x, _ in at.values()) + WIDE + 2
    height = max(y for _, y in at.values()) + HIGH + 2
    return format_html(
        '<svg class="pedigree" role="group" aria-label="Pedigree" viewBox="0 0 {} {}" width="{}" height="{}">{}</svg>',
        width, height, width, height, mark_safe("".join(parts)),  # noqa: S308
    )  # fmt: skip


def _line(start: tuple[float, float], end: tuple[float, float]) -> str:
    x, y, to, down = start[0] + WIDE, start[1] + HIGH / 2, end[0], end[1] + HIGH / 2
    middle = (x + to) / 2
    return f'<path class="descent" d="M{x:.0f} {y:.0f}C{middle:.0f} {y:.0f} {middle:.0f} {down:.0f} {to:.0f} {down:.0f}"/>'


def _box(n: Node, x: float, y: float, chosen: bool) -> str:
    here = ' class="here" aria-current="true"' if chosen else ""
    begin, end = (f'<a href="{escape(n.url)}"{here}>', "</a>") if n.url else (f"<g{here}>", "</g>")
    return (
        f"{begin}<title>{escape(n.title)}, {escape(n.said)}</title>"
        f'<rect x="{x}" y="{y}" width="{WIDE}" height="{HIGH}"/>'
        f'<text x="{x + 9}" y="{y + 18}" class="title">{escape(_short(n.title))}</text>'
        f'<text x="{x + 9}" y="{y + 34}" class="said">{escape(n.said[:22])}</text>{end}'
    )


def _short(name: str) -> str:
    return name if len(name) <= 16 else f"{name[:6]}…{name[-9:]}"


def _rows(nodes: Sequence[Node]) -> dict[str, float]:
    """A row for each, offspring in the order of their parents; a parent stands beside the first of its offspring."""
    children: dict[str, list[Node]] = {}
    for n in nodes:
        if n.parents and n.column > 1:
            children.setdefault(n.parents[0], []).append(n)
    rows: dict[str, float] = {}
    free = 0.0

    def put(key: str) -> float:
        nonlocal free
        below = [put(n.key) for n in children.get(key, ())]
        if not below:
            rows[key] = free
            free += 1
        else:
            rows[key] = below[0]
        return rows[key]

    put("f1")
    return rows | {"seed": 0.0, "pollen": 1.0}


def pedigree_of(cultivars: Iterable[Cultivar]) -> tuple[list[Born], dict[int, str]]:
    """The pedigree of some cultivars as the core takes it, every plant of which seed was saved a member of its own and named
    cultivars from elsewhere fixed founders; and under which name each cultivar (by id) stands in it."""
    born: dict[str, Born] = {}
    known: dict[int, str] = {}

    def add(key: str, seed_parent: str | None = None, pollen_parent: str | None = None, inbred: bool = False) -> str:
        born.setdefault(key, Born(key, seed_parent, pollen_parent, inbred))
        return key

    def family(cross: Cross) -> str:
        seed, pollen = (add(f"c{pk}", inbred=True) for pk in (cross.seed_parent_id, cross.pollen_parent_id))
        return add(f"f{cross.pk}", seed, pollen)

    def plant(key: str, came: str) -> str:
        """A single plant of what came before: it has the same parents, from which it was drawn by itself."""
        return add(key, born[came].seed_parent, born[came].pollen_parent)

    def line(saved: Saved) -> str:
        before = parent_of(saved)
        cross = saved.plot.trial.generation.cross
        came = line(before) if before else family(cross)
        mother = plant(f"p{saved.plot_id}", came)
        if saved.mating == How.CLONED:
            return mother
        other = mother
        if saved.mating == How.BACKCROSSED:
            other = add(f"c{cross.seed_parent_id}", inbred=True)
        elif saved.mating != How.SELFED:
            other = plant(f"p{saved.pollen_id}" if saved.pollen_id else f"sister of {mother}", came)
        return add(f"s{saved.pk}", mother, other)

    for cultivar in cultivars:
        saved = Saved.objects.filter(progeny=cultivar).select_related("plot__trial__generation__cross").first()
        cross = Cross.objects.filter(f1=cultivar).first()
        known[cultivar.pk] = line(saved) if saved else family(cross) if cross else add(f"c{cultivar.pk}", inbred=True)
    return list(born.values()), known
