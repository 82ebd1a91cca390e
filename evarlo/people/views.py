"""Log-in, one's own page, and who is here."""

from __future__ import annotations

import time
from typing import Any
from urllib.parse import urlencode

from django.contrib.auth import update_session_auth_hash
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.views import LoginView
from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.decorators import method_decorator
from django.views.decorators.http import require_POST

from evarlo.people.audit import end_cut_off, first_gap
from evarlo.people.forms import ROLES, ChangePassword, Door, Invite
from evarlo.people.guards import tried_too_often
from evarlo.people.joining import invite, offer_reset, secret_of, set_password, withdraw
from evarlo.people.models import AuditLine, Invitation, Role, User, Visit
from evarlo.people.on_paper import running_head_of
from evarlo.people.once import takes_long
from evarlo.people.permissions import allowed, may
from evarlo.people.places import SAMPLE_PASSWORD, nobody_yet, open_invitations, people_known, place, visits_of
from evarlo.people.requests import PersonRequest, typed
from evarlo.people.services import choose_looks, end_visit, give_role, leave, return_again
from evarlo.ui.draw.code import scannable
from evarlo.ui.listing import Column, Listing
from evarlo.ui.notice import say
from evarlo.ui.refused import Refused, said_on_top
from evarlo.ui.templatetags.ui import moment

MOST_LINES = 20_000  # of the audit that are listed; all are kept
HERE = ("localhost", "127.0.0.1", "[::1]")


@method_decorator(login_not_required, name="dispatch")
class LogIn(LoginView):
    template_name = "people/log_in.html"
    redirect_authenticated_user = True
    authentication_form = Door

    def dispatch(self, request: HttpRequest, *args: Any, **kwargs: Any) -> Any:
        """Before anybody is there, nobody can log in: the first start comes first."""
        if request.method == "POST" and tried_too_often(request.META.get("REMOTE_ADDR", "")):
            return locked_out(request)
        return redirect("people:first") if nobody_yet() else super().dispatch(request, *args, **kwargs)

    def form_valid(self, form: Any) -> HttpResponse:
        """Whoever chose a second factor is asked for its code before they are in."""
        person = form.get_user()
        if not person.second_key:
            return super().form_valid(form)
        self.request.session["half"] = [person.pk, person.backend, int(time.time())]
        return redirect(f"{reverse('people:code')}?{urlencode({'next': self.get_success_url()})}")

    def get_context_data(self, **kwargs: Any) -> dict[str, Any]:
        known = User.objects.filter(is_active=True).order_by("pk")[:6]
        return super().get_context_data(**kwargs) | {"sample_people": known, "sample_password": SAMPLE_PASSWORD}


def locked_out(request: HttpRequest, *_args: Any, **_kwargs: Any) -> HttpResponse:
    """After too many wrong passwords: said in words, with how long to wait."""
    return render(request, "people/locked_out.html", status=429)


@login_not_required
def here(request: HttpRequest) -> HttpResponse:
    """Whether someone is logged in, asked before a page's form is sent."""
    return HttpResponse(status=204 if request.user.is_authenticated else 401)


@may("see")
def running_head(request: PersonRequest) -> HttpResponse:
    """What runs along the top of every printed page that is no trial's."""
    own = place()
    return running_head_of(own.name if own else "", request.user)


def me(request: PersonRequest) -> HttpResponse:
    """What a person can choose for themselves."""
    if request.method == "POST":
        told = request.POST
        looks = {"imperial": told.get("units") == "imperial", "clock12": told.get("clock") == "12", "sunlight": "sunlight" in told}
        choose_looks(request.user, **looks)
        say(request, f"Amounts are shown in {'imperial' if request.user.imperial else 'metric'} units from now on.")
        return redirect("people:me")
    return _own_page(request, ChangePassword(None, request))


def _own_page(request: PersonRequest, form: ChangePassword) -> HttpResponse:
    context = {"form": form, "visits": visits_of(request.user), "session": request.session.session_key}
    return render(request, "people/me.html", context, status=422 if form.errors else 200)


@takes_long  # a wrong password stays counted although nothing else is kept
@require_POST
def change_password(request: PersonRequest) -> HttpResponse:
    """One's own password, for another; other devices are logged out."""
    form = ChangePassword(typed(request), request)
    if not form.is_valid():
        return _own_page(request, form)
    set_password(request.user, form.cleaned_data["password"], keep=request.session.session_key or "")
    update_session_auth_hash(request, request.user)
    say(request, "Your password is changed. Your other devices are logged out.")
    return redirect("people:me")


@require_POST
def end_one(request: PersonRequest, pk: int) -> HttpResponse:
    """Log out a device: one's own, or anybody's for who lets people in."""
    visit = get_object_or_404(Visit.objects.select_related("person"), pk=pk, ended_at=None)
    own = visit.person == request.user
    if not own and not allowed(request.user, "people"):
        raise PermissionDenied("Only a manager logs others out.")
    end_visit(visit)
    say(request, f"{visit.device} is logged out.")
    return redirect("people:me") if own else redirect("people:person", visit.person_id)


@may("people")
def people(request: PersonRequest) -> HttpResponse:
    """Who is here, who is invited, and the way to let somebody in."""
    return _list(request, Invite())


def _list(request: PersonRequest, form: Invite) -> HttpResponse:
    listing = Listing(request, "people", PEOPLE, people_known(), "name", "person")
    if (file := listing.taken()) is not None:
        return file
    context = {"listing": listing, "invitations": open_invitations(), "form": form, "roles": ROLES.items()}
    return render(request, "people/list.html", context, status=422 if form.errors else 200)


PEOPLE: list[Column[User]] = [
    Column("name", "Name", str, url=lambda p: reverse("people:person", args=[p.pk])),
    Column("username", "Logs in as", lambda p: p.username),
    Column("role", "Role", lambda p: "left" if p.left_at else p.get_role_display() or "none yet"),
    Column("seen", "Last seen", lambda p: p.last_seen, text=lambda p: moment(p.last_seen) or "never"),  # type: ignore[attr-defined]
]


AUDIT: list[Column[AuditLine]] = [
    Column("at", "When", lambda x: x.at, text=lambda x: moment(x.at)),
    Column("who", "Who", lambda x: x.who),
    Column("what", "What", lambda x: x.what),
    Column("about", "About", lambda x: x.about),
    Column("typed", "Typed", lambda x: "; ".join(f"{k} {v}" for k, v in x.typed.items() if v)),
    Column(
        "changed", "Before → after", lambda x: "; ".join(f"{k} {was or '–'} → {now or '–'}" for k, (was, now) in x.changed.items())
    ),
    Column("where", "From", lambda x: x.where),
    Column("digest", "Hash", lambda x: x.digest, spare=True),
]


@may("people")
def audit_page(request: PersonRequest) -> HttpResponse:
    """What was done, by whom, when and from where; and whether nothing of it is missing."""
    listing = Listing(request, "audit", AUDIT, list(AuditLine.objects.all()[:MOST_LINES]), "-at", "line")
    if (file := listing.taken()) is not None:
        return file
    context = {"listing": listing, "gap": first_gap(), "cut_off": end_cut_off(), "lines": AuditLine.objects.count()}
    return render(request, "people/audit.html", context)


@may("people")
@require_POST
def invite_one(request: PersonRequest) -> HttpResponse:
    form = Invite(typed(request))
    if not form.is_valid():
        return _list(request, form)
    return redirect("people:link", invite(form.cleaned_data["name"], form.cleaned_data["role"], request.user).pk)


@may("people")
def link(request: PersonRequest, pk: int) -> HttpResponse:
    """A link to hand over, as an address and as a code to scan."""
    invitation = open_invitations().filter(pk=pk).first()
    if invitation is None:
        return redirect("people:list")
    url = request.build_absolute_uri(reverse("people:join", args=[secret_of(invitation)]))
    only_here = request.get_host().rpartition(":")[0] in HERE or request.get_host() in HERE
    context = {"invitation": invitation, "url": url, "code": scannable(url), "only_here": only_here}
    return render(request, "people/link.html", context)


@may("people")
@require_POST
def withdraw_link(request: PersonRequest, pk: int) -> HttpResponse:
    with said_on_top(request):
        invitation = get_object_or_404(Invitation, pk=pk)
        withdraw(invitation)
        say(request, f"The link for {invitation.name} no longer works.")
    return redirect("people:list")


@may("people")
def person(request: PersonRequest, pk: int) -> HttpResponse:
    """One person: their role, where they are logged in, a new password, leaving."""
    who = get_object_or_404(User, pk=pk)
    return render(request, "people/person.html", {"who": who, "roles": ROLES.items(), "visits": visits_of(who)})


@may("people")
@require_POST
def change_role(request: PersonRequest, pk: int) -> HttpResponse:
    who, role = get_object_or_404(User, pk=pk), request.POST.get("role", "")
    with said_on_top(request):
        if role not in Role.values:
            raise Refused("Found no role. Expected manager, evaluator, helper or reader.")
        give_role(who, role)
        say(request, f"{who} is {role} now.")
    return redirect("people:person", pk)


@may("people")
@require_POST
def reset_link(request: PersonRequest, pk: int) -> HttpResponse:
    with said_on_top(request):
        return redirect("people:link", offer_reset(get_object_or_404(User, pk=pk), request.user).pk)
    return redirect("people:person", pk)


@may("people")
@require_POST
def let_leave(request: PersonRequest, pk: int) -> HttpResponse:
    who = get_object_or_404(User, pk=pk)
    with said_on_top(request):
        leave(who)
        say(request, f"{who} has left and is logged out everywhere.", undo=reverse("people:return", args=[pk]))
    return redirect("people:list")


@may("people")
@require_POST
def let_return(request: PersonRequest, pk: int) -> HttpResponse:
    who = get_object_or_404(User, pk=pk)
    return_again(who)
    say(request, f"{who} is back, with the role and password from before.")
    return redirect("people:person", pk)
