"""Everybody at once over HTTP, in every way that goes wrong: walkers with phones, pickers, counters, a partner, programs and readers;
batches cut in the middle, sent twice, out of order, by the wrong person, with a clock days off; the server killed and started again,
once on a disk that is full. Afterwards what was sent is there, once each. `python -m bench.storm [phones] [kills]`."""

from __future__ import annotations

import http.client
import json
import random
import resource
import sys
import threading
import time
import uuid
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta
from typing import Any
from urllib.parse import urlencode

from bench import killed
from bench.killed import TOKEN, Server, session_of
from bench.timing import empty_garden

PHONES, KILLS = 21, 14
PROGRAMS, READERS = 8, 4
ENTRIES, BLOCKS, ROUNDS = 100, 4, 2
BATCH = 20
CUT, TWICE, WRONG_PERSON, LATE = 0.1, 0.2, 0.05, 0.15  # shares of batches
LIFE_S = (1.5, 5.0)
MOST_S = 900  # seconds that it may take
ROOM = 600_000  # bytes that a file may have on the full disk: less than what is written beside the database has already
SESSION = "sessionid={}; csrftoken=" + TOKEN


@dataclass
class Sender:
    """A phone or a program: how it sends, to which address, whose its records are, and what it has not been answered for."""

    headers: dict[str, str]
    wrong: dict[str, str] | None
    url: str
    body: Callable[[list[dict[str, Any]]], bytes]
    left: list[dict[str, Any]]


class Tally:
    """What went wrong on the way, counted by all at once."""

    def __init__(self) -> None:
        self.counts: Counter[str] = Counter()
        self.lock = threading.Lock()

    def note(self, what: str) -> None:
        with self.lock:
            self.counts[what] += 1


def main(phones: int = PHONES, kills: int = KILLS, seed: int = 3) -> None:
    luck = random.Random(seed)  # noqa: S311
    with empty_garden():
        from django.db import connection

        session, posts = killed.world_of(luck)
        senders, partner, pages = crowd(phones, luck)
        sent = {r["key"] for s in senders for r in s.left}
        connection.close()
        server, over, tally = Server(), threading.Event(), Tally()
        time.sleep(3)
        begin, forms, again = time.perf_counter(), list(posts), Counter[str]()
        lucks = [random.Random(n) for n in range(len(senders))]  # noqa: S311
        work = [threading.Thread(target=bring, args=(server, s, lucks[n], tally), daemon=True) for n, s in enumerate(senders)]
        work += [
            threading.Thread(target=killed.send, args=(server.port, session, forms, again, over), daemon=True) for _ in range(2)
        ]
        work.append(threading.Thread(target=partner_types, args=(server, partner, tally), daemon=True))
        watchers = [threading.Thread(target=read, args=(server, session, pages, n, over, tally)) for n in range(READERS)]
        for one in (*work, *watchers):
            one.start()
        died = 0
        while any(w.is_alive() for w in work):
            if time.perf_counter() - begin > MOST_S:
                over.set()
                server.kill()
                left = sum(len(s.left) for s in senders)
                sys.exit(
                    f"after {MOST_S} s {left} values and {len(forms)} forms are not there yet; {json.dumps(dict(tally.counts))}"
                )
            time.sleep(luck.uniform(*LIFE_S))
            if died < kills:
                server.kill()
                server.start(full_disk if died == kills // 2 else None)
                died += 1
        over.set()
        for one in watchers:
            one.join()
        server.kill()
        print(
            f"{len(sent)} values of {phones} phones and {PROGRAMS} programs, the server killed {died} times and once without room,"
        )
        print(f"{time.perf_counter() - begin:.0f} s; {json.dumps(dict(tally.counts))}")
        killed.told(posts, again, died)
        check(sent, partner, tally)


def full_disk() -> None:
    """For a server's life: no file grows beyond some size, as if there were no room."""
    resource.setrlimit(resource.RLIMIT_FSIZE, (ROOM, ROOM))


def crowd(phones: int, luck: random.Random) -> tuple[list[Sender], tuple[str, dict[str, str]], list[str]]:
    """Everyone with what they are going to send, the partner's address with what is typed there, and the pages that are read."""
    from django.utils import timezone

    from evarlo.api.models import Token
    from evarlo.api.tokens import make_token
    from evarlo.catalogue.models import Trait
    from evarlo.partners.services import make_partner, rounds_of
    from evarlo.people.models import User
    from evarlo.testing import world
    from evarlo.walks.services import open_round

    by, today = User.objects.get(username="manager"), timezone.localdate()
    names = [f"M{k}" for k in range(ENTRIES)]
    made = world.trial(by, name="Many", entries=names, check="M0", blocks=BLOCKS, plot_length_m=0.5, plot_width_m=0.5)
    plots = list(made.plots.values_list("pk", "number"))
    shares = Trait.objects.filter(kind=Trait.Kind.PERCENT, source=Trait.Source.WALK, samples=1).order_by("pk")[: ROUNDS + 1]
    rounds = [open_round(made, trait, today, by) for trait in shares]
    people = [world.person("evaluator", f"walker{n}") for n in range(max(phones, PROGRAMS))]
    sessions = [session_of(person) for person in people]
    senders = []
    for n, person in enumerate(people[:phones]):
        off = luck.choice((0, 0, 0, -2, 2)) * 86_400_000
        for walk in rounds[:ROUNDS]:
            left = [record(plot, 2 * n + 1, off) for plot, _ in plots]
            if n % 2:
                left.reverse()
            senders.append(
                phone(sessions[n], sessions[n - 1], f"/trials/{made.slug}/walk/{walk.pk}/bring-in/", person.pk, off, left)
            )
    for n in range(PROGRAMS):
        _, text = make_token(people[n], "logger", Token.Scope.WRITE, today + timedelta(days=30))
        now = timezone.now().isoformat()
        left = [{"key": str(uuid.uuid4()), "plot": number, "number": 3 * n + 2, "made_at": now} for _, number in plots]
        headers = {"Authorization": f"Bearer {text}", "Content-Type": "application/json"}
        url = f"/api/v1/trials/{made.slug}/rounds/{rounds[ROUNDS].pk}/observations"
        senders.append(Sender(headers, None, url, lambda records: json.dumps({"records": records}).encode(), left))
    for trait in shares[:2]:
        made.criteria.get_or_create(trait=trait, defaults={"rank": 9, "direction": "lower", "matters": 1})
    small = make_partner(
        made, "Pell Orrin", "Far Garth", list(made.entries.all()[1:4]), 2, list(shares[:2]), today + timedelta(days=30), by
    )
    typed = {f"v_{walk.pk}_{plot}": "5" for walk in rounds_of(small) for plot in small.trial.plots.values_list("pk", flat=True)}
    pages = ["/", "/trials/", f"/trials/{made.slug}/", f"/trials/{made.slug}/compare/", f"/trials/{made.slug}/calendar/"]
    return senders, (f"/partner/{small.code}/keep/", typed), pages


def record(plot: int, number: int, off: int) -> dict[str, Any]:
    return {"key": str(uuid.uuid4()), "plot": plot, "number": number, "made": int(time.time() * 1000) + off, "before": ""}


def phone(session: str, wrong: str, url: str, who: int, off: int, left: list[dict[str, Any]]) -> Sender:
    def body(records: list[dict[str, Any]]) -> bytes:
        return json.dumps({"who": who, "clock": int(time.time() * 1000) + off, "records": records}).encode()

    def headers(of: str) -> dict[str, str]:
        return {"Cookie": SESSION.format(of), "X-CSRFToken": TOKEN, "Content-Type": "application/json"}

    return Sender(headers(session), headers(wrong), url, body, left)


def bring(server: Server, s: Sender, luck: random.Random, tally: Tally) -> None:
    """Send what is left, until the server has answered for all of it."""
    while s.left:
        begin = luck.randrange(len(s.left)) if luck.random() < LATE else 0
        batch = s.left[begin : begin + BATCH]
        if luck.random() < CUT:
            cut_off(server, s, batch, tally)
            continue
        if s.wrong and luck.random() < WRONG_PERSON:
            status, _ = ask(server, "POST", s.url, s.wrong, s.body(batch))
            tally.note(f"by the wrong person: {status or 'no answer'}")
        answers = sent(server, s, batch, tally)
        if luck.random() < TWICE:
            answers = sent(server, s, luck.sample(batch, len(batch)), tally)
            tally.note("sent twice")
        s.left = [r for r in s.left if r["key"] not in answers]


def sent(server: Server, s: Sender, batch: list[dict[str, Any]], tally: Tally) -> set[str]:
    """The keys that the server says are there."""
    status, answer = ask(server, "POST", s.url, s.headers, s.body(batch))
    if status != 200:
        tally.note(f"batch: {status or 'no answer'}")
        time.sleep(2 if status == 429 else 0.1)
        return set()
    told = json.loads(answer)["answers"]
    for one in told:
        if one["state"] == "refused":
            tally.note(f"refused: {one['said']}")
    return {one["key"] for one in told if one["state"] != "refused"}


def cut_off(server: Server, s: Sender, batch: list[dict[str, Any]], tally: Tally) -> None:
    """The connection breaks in the middle of what is sent."""
    body = s.body(batch)
    try:
        way = http.client.HTTPConnection("127.0.0.1", server.port, timeout=5)
        way.putrequest("POST", s.url)
        for name, value in (*s.headers.items(), ("Content-Length", str(len(body)))):
            way.putheader(name, value)
        way.endheaders()
        way.send(body[: len(body) // 2])
        way.close()
    except OSError:
        pass
    tally.note("cut off")


def ask(server: Server, method: str, url: str, headers: dict[str, str], body: bytes | None = None) -> tuple[int, bytes]:
    """Status and answer; nought where none came."""
    try:
        way = http.client.HTTPConnection("127.0.0.1", server.port, timeout=30)
        way.request(method, url, body, headers)
        answer = way.getresponse()
        return answer.status, answer.read()
    except (OSError, http.client.HTTPException):
        return 0, b""


def partner_types(server: Server, partner: tuple[str, dict[str, str]], tally: Tally) -> None:
    """The partner's page, sent value by value, each until it is answered for."""
    url, typed = partner
    headers = {"Cookie": f"csrftoken={TOKEN}", "X-CSRFToken": TOKEN, "Accept": "application/json"}
    headers["Content-Type"] = "application/x-www-form-urlencoded"
    for name, value in typed.items():
        fields = urlencode({name: value, name.replace("v_", "w_"): ""}).encode()
        while True:
            status, _ = ask(server, "POST", url, headers, fields)
            if status and status < 400:
                break
            tally.note(f"partner: {status or 'no answer'}")
            time.sleep(0.2)


def read(server: Server, session: str, pages: list[str], n: int, over: threading.Event, tally: Tally) -> None:
    headers = {"Cookie": SESSION.format(session), "Accept-Encoding": "gzip"}
    while not over.is_set():
        n += 1
        status, _ = ask(server, "GET", pages[n % len(pages)], headers)
        tally.note(f"read: {status or 'no answer'}")


def check(sent: set[str], partner: tuple[str, dict[str, str]], tally: Tally) -> None:
    """Each value is there once, as one that counts or as one that differs; the audit hangs together; nothing that was
    acknowledged is missing; and no page broke but for want of room."""
    from django.db import connection

    from evarlo.databases.journal import hold_against
    from evarlo.partners.models import Partner
    from evarlo.people.audit import end_cut_off, first_gap
    from evarlo.walks.models import Observation, Rival

    connection.close()
    theirs = Partner.objects.get().trial_id
    rows = [
        str(pk) for kind in (Observation, Rival) for pk in kind.objects.exclude(round__trial=theirs).values_list("pk", flat=True)
    ]
    of_partner = Observation.objects.filter(round__trial=theirs).count()
    print(
        f"  values     sent {len(sent)}  kept {len(set(rows) & sent)}  doubled {len(rows) - len(set(rows))}  lost {len(sent - set(rows))}"
    )
    print(f"  partner    sent {len(partner[1])}  kept {of_partner}")
    wrong = [
        (set(rows) != sent or len(rows) != len(set(rows)), "not every value is there once"),
        (of_partner != len(partner[1]), "not every value of the partner is there once"),
        (first_gap() is not None or end_cut_off(), "the audit has a gap"),
        (bool(hold_against()), "something acknowledged is missing"),
        (any(" 500" in what for what in tally.counts), "a page broke"),
    ]
    if said := [words for is_so, words in wrong if is_so]:
        sys.exit("; ".join(said))


if __name__ == "__main__":
    main(*(int(x) for x in sys.argv[1:]))
