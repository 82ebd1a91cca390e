"""Lessons: a note tied to a crop, cultivar, bed or task, shown again where that comes up."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction
from django.db.models import Q
from django.utils import timezone

from evarlo.catalogue.models import Crop, Cultivar
from evarlo.people.models import User
from evarlo.trials.models import Trial
from evarlo.trials.queries import kept_elsewhere
from evarlo.trials.registry import GoingOn
from evarlo.ui.refused import Refused
from evarlo.verdicts.models import Lesson, SignedBoard
from evarlo.verdicts.seasons import names_joined

MOST_WORDS = 200
PER_SEASON = 3  # that are asked for at its end


@transaction.atomic
def keep_lesson(trial: Trial, text: str, about: str, by: User) -> Lesson:
    """Keep a lesson of a season about its crop, or `about` one of its beds (`bed:ID`), cultivars (`cultivar:ID`) or tasks (a key).
    Raises Refused for no words, too many, or something the trial does not have."""
    words = " ".join(text.split())
    if not words:
        raise Refused("Nothing was typed. Expected what is worth remembering, in a sentence.", "text")
    if len(words) > MOST_WORDS:
        raise Refused(f"It has {len(words)} characters; at most {MOST_WORDS} are kept.", "text")
    kind, _, key = about.partition(":")
    bed = next((b for b in trial.beds if kind == "bed" and str(b.pk) == key), None)
    cultivar = (
        Cultivar.objects.filter(entries__trial=trial, pk=key).first()
        if kind == "cultivar" and key.isdecimal() and len(key) < 15
        else None
    )
    if kind in ("bed", "cultivar") and bed is None and cultivar is None:
        raise Refused("Expected the crop, or a bed, cultivar or task of this trial.", "about")
    task = key if kind == "task" else ""
    return Lesson.objects.create(
        trial=trial, crop=trial.crop, bed=bed, cultivar=cultivar, task=task[:40], text=words, by=by, at=timezone.now()
    )


@transaction.atomic
def drop_lesson(lesson: Lesson) -> None:
    """A lesson is no longer shown; it stays on record."""
    lesson.undone_at = timezone.now()
    lesson.save(update_fields=["undone_at"])


def lessons_for(trial: Trial) -> list[Lesson]:
    """What was learnt elsewhere that bears on a trial: of its crop and the tasks of that, of its beds and its cultivars."""
    some = Lesson.objects.in_force().exclude(trial=trial).select_related("trial", "bed", "cultivar", "by")
    cultivars = [e.cultivar_id for e in trial.named_entries]
    of_crop = Q(crop=trial.crop_id, bed=None, cultivar=None, task="")
    found = some.filter(of_crop | Q(bed__in=trial.beds) | Q(cultivar__in=cultivars) | Q(crop=trial.crop_id, task__gt=""))
    return list(found.distinct())


def own_lessons(trial: Trial) -> list[Lesson]:
    """What was learnt in a trial itself."""
    return list(Lesson.objects.in_force().filter(trial=trial).select_related("bed", "cultivar", "by"))


def remembered(trial: Trial) -> list[str]:
    """What should be said where a trial is planned: lessons that bear on it, and entries that were dropped before."""
    said = [f"{lesson.text} ({lesson.about}, {lesson.trial.season})" for lesson in lessons_for(trial)]
    if not trial.decided_at:
        said += dropped_before(trial.crop_id, [e.cultivar for e in trial.named_entries], trial)
    return said


def dropped_before(crop: int, cultivars: Sequence[Cultivar], besides: Trial | None = None) -> list[str]:
    """Of some cultivars those whose last verdict was to be dropped, with the season and the reason then."""
    some = SignedBoard.objects.filter(trial__crop=crop).select_related("trial").only("lines", "trial__season", "trial__name", "at")
    if besides is not None:
        some = some.exclude(trial=besides)
    boards = list(some.order_by("trial__season", "at", "id"))
    if not boards:
        return []
    joined = names_joined(crop)
    last: dict[int, tuple[str, str, str]] = {}
    for board in boards:
        for line in board.lines:
            if line.get("cultivar") and not line["check"]:
                why = line.get("own_reason") or " ".join(line["reasons"][:1])
                last[joined.get(line["cultivar"], line["cultivar"])] = (line["verdict"], board.trial.season, why)
    said = []
    for c in cultivars:
        verdict, season, why = last.get(c.known_as, ("", "", ""))
        if verdict == "drop":
            said.append(f"{c.name} was dropped after {season}: {why}")
    return said


def dropped_of(crop: Crop, names: Sequence[str]) -> list[str]:
    """The same for names as they are typed, also other names of a cultivar."""
    folded = {n.casefold() for n in names}
    known = Cultivar.objects.filter(crop=crop).prefetch_related("synonyms")
    some = [c for c in known if folded & {c.name.casefold(), *(s.name.casefold() for s in c.synonyms.all())}]
    return dropped_before(crop.pk, some) if some else []


def going_on(crop: Crop) -> GoingOn:
    """What the newest signed board of a crop keeps in trials: its check, then retests and recommended ones; and what it dropped."""
    here = SignedBoard.objects.filter(trial__crop=crop, trial__practice=False).exclude(trial__in=kept_elsewhere())
    boards = list(here.order_by("trial__season", "at", "id"))
    if not boards:
        return GoingOn()
    last = {line.get("cultivar"): line["verdict"] for board in boards for line in board.lines if not line["check"]}
    order = {"retest": 1, "recommend": 2}
    told = [(0 if line["check"] else order.get(line["verdict"], 9), line.get("cultivar")) for line in boards[-1].lines]
    names = {c.pk: c.name for c in Cultivar.objects.filter(crop=crop)}
    kept = [names[pk] for rank, pk in sorted(told, key=lambda k: k[0]) if rank < 9 and pk in names]
    return GoingOn(tuple(kept), tuple(names[pk] for pk, verdict in last.items() if verdict == "drop" and pk in names))


def of_tasks(trial: Trial) -> dict[str, list[str]]:
    """What earlier seasons of a trial's crop taught about a task, by its key."""
    found: dict[str, list[str]] = {}
    for lesson in Lesson.objects.in_force().filter(crop=trial.crop_id, task__gt="").exclude(trial=trial).select_related("trial"):
        found.setdefault(lesson.task, []).append(f"{lesson.text} ({lesson.trial.season})")
    return found
