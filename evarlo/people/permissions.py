"""Who may do what: the one table, and the door that holds it."""

from collections.abc import Callable
from datetime import datetime
from functools import wraps
from typing import Any, ParamSpec
from urllib.parse import urlsplit

from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponse
from django.urls import Resolver404, resolve
from django.utils import timezone
from django.utils.functional import SimpleLazyObject

from evarlo.databases.journal import any_lost
from evarlo.people.models import Role
from evarlo.people.places import is_sample
from evarlo.ui.refused import Refused

IN_SAMPLE, SINCE = "in_sample_world", "since"  # of a session: what a page need not look up
M, E, H, R = Role.MANAGER, Role.EVALUATOR, Role.HELPER, Role.READER

ACTS: dict[str, frozenset[Role]] = {
    "see": frozenset({M, E, H, R}),  # pages of trials, Today, ground plans
    "see_names": frozenset({M, R}),  # cultivar names of a blind trial before it is opened
    "compare": frozenset({M, E, R}),  # results of a trial
    "plan": frozenset({M}),  # make and change trials, beds, cultivars
    "sow": frozenset({M, E, H}),  # sowing and planting dates
    "observe": frozenset({M, E, H}),  # walk plots and keep values
    "pick": frozenset({M, E, H}),  # weigh in
    "exclude": frozenset({M, E}),  # leave a plot out of the comparison
    "describe": frozenset({M, E}),  # traits, their guides and thresholds
    "decide": frozenset({M}),  # give and sign verdicts
    "bring_in": frozenset({M}),  # make a trial from a sheet
    "people": frozenset({M}),  # let people in, give roles, end log-ins
}


def allowed(user: Any, act: str) -> bool:
    """Whether `user` may do `act`. Raises KeyError for an act that is not in the table."""
    return user.is_authenticated and user.role in ACTS[act]


def hold_to(request: Any, act: str) -> None:
    """Raises PermissionDenied where who asks may not do `act`."""
    if not allowed(request.user, act):
        needed = " or ".join(sorted(ACTS[act]))
        raise PermissionDenied(f"This is for a {needed}. You are logged in as {request.user.role}.")


def acts_of(view: Any) -> tuple[str, ...]:
    """What a person has to be allowed to do for a view to open."""
    return getattr(view, "acts", ())


P = ParamSpec("P")


def may(act: str) -> Callable[[Callable[P, HttpResponse]], Callable[P, HttpResponse]]:
    """Let a view be used only by those who may do `act`."""

    def door(view: Callable[P, HttpResponse]) -> Callable[P, HttpResponse]:
        @wraps(view)
        def guarded(*args: P.args, **kwargs: P.kwargs) -> HttpResponse:
            hold_to(args[0], act)
            return view(*args, **kwargs)

        guarded.acts = (act, *acts_of(view))  # type: ignore[attr-defined]
        return guarded

    return door


def opens(user: Any, url: str) -> bool:
    """Whether a page of ours opens for somebody: what does not is not offered to them."""
    try:
        view = resolve(urlsplit(url).path).func
    except Resolver404:
        return False
    return all(allowed(user, act) for act in acts_of(view))


def may_take_back(user: Any, by_id: int, at: datetime) -> None:
    """A helper takes back only what they entered themselves, on the same day: what is older others have built on. Raises
    Refused."""
    if user.role == Role.HELPER and (by_id != user.pk or timezone.localdate(at) != timezone.localdate()):
        raise Refused("A helper takes back only what they entered today. Ask a manager or an evaluator to take this back.")


def acts_allowed(request: HttpRequest) -> dict[str, Any]:
    """For templates: `may.plan`, `may.decide` and so on."""
    user = getattr(request, "user", None)
    if user is None or not user.is_authenticated:
        return {"may": {}}
    return {"may": {act: user.role in roles for act, roles in ACTS.items()}}


def whose_place(request: HttpRequest) -> dict[str, Any]:
    """For templates: `sample_world`, `records_lost`, whether the last start found some missing, and `person`, who looks. Who is
    logged in was told so at the door, so that no page has to look it up."""
    user = getattr(request, "user", None)
    if user is not None and user.is_authenticated:
        person = getattr(user, "person", user)
        return {"sample_world": request.session.get(IN_SAMPLE, False), "records_lost": any_lost(), "person": person}
    return {"sample_world": SimpleLazyObject(is_sample)}
