"""Many at once on the sample world, without a pause: fifty who read and eight who write, over HTTP to the real server.
`python -m bench.load [readers] [writers] [seconds]`."""

from __future__ import annotations

import http.client
import json
import sys
import threading
import time
import uuid
from collections import Counter, defaultdict
from dataclasses import dataclass, field

from bench.killed import TOKEN, Server, session_of
from bench.timing import empty_garden

BATCH = 5  # records that a phone brings at once
WARM_S = 3  # before it counts


@dataclass
class Heard:
    """What one kind of asker got: seconds by page, and answers by their kind."""

    took: dict[str, list[float]] = field(default_factory=lambda: defaultdict(list))
    answers: Counter[str] = field(default_factory=Counter)
    lock: threading.Lock = field(default_factory=threading.Lock)

    def note(self, page: str, status: int, seconds: float) -> None:
        with self.lock:
            self.took[page].append(seconds)
            self.answers[f"{status // 100}xx"] += 1

    def told(self, what: str, seconds: float) -> None:
        every = sorted(t for some in self.took.values() for t in some)
        if not every:
            print(f"{what}: none")
            return
        p50, p95 = every[len(every) // 2], every[int(0.95 * len(every))]
        print(
            f"{what}: {len(every) / seconds:.1f} a second, half within {1000 * p50:.0f} ms, 95 of 100 within {1000 * p95:.0f} ms, "
            + ", ".join(f"{n} {kind}" for kind, n in sorted(self.answers.items()))
        )
        for page, took in sorted(self.took.items(), key=lambda t: -sum(t[1]) / len(t[1]))[:12]:
            print(f"    {page}: {1000 * sum(took) / len(took):.0f} ms on average, {len(took)} times")


def main(readers: int = 50, writers: int = 8, seconds: int = 30) -> None:
    with empty_garden():
        from django.core.management import call_command
        from django.db import connection

        call_command("load_demo", verbosity=0)
        people, phone, pages, walks, plots = asked(readers)
        connection.close()
        server = Server()
        time.sleep(4)
        read, written, over = Heard(), Heard(), threading.Event()
        begin = time.perf_counter() + WARM_S
        crowd = [
            threading.Thread(target=reading, args=(server.port, person, pages, n, read, begin, over))
            for n, person in enumerate(people)
        ]
        crowd += [
            threading.Thread(
                target=writing, args=(server.port, phone, walks[n % len(walks)], plots[n::writers], n, written, begin, over)
            )
            for n in range(writers)
        ]
        for one in crowd:
            one.start()
        time.sleep(WARM_S + seconds)
        over.set()
        for one in crowd:
            one.join()
        server.kill()
        print(f"{readers} who read and {writers} who write, without a pause, {seconds} s")
        read.told("Pages", seconds)
        written.told(f"Batches of {BATCH}", seconds)


Person = tuple[str, int]  # a session, and who it is of


def asked(readers: int) -> tuple[list[Person], Person, list[str], list[str], list[int]]:
    """So many readers, each a person of their own; the evaluator who writes; the pages that are read, where batches go, and the
    plots of that trial."""
    from django.utils import timezone

    from evarlo.people.models import User
    from evarlo.testing import world
    from evarlo.trials.models import Trial
    from evarlo.walks.services import open_round

    people = [User.objects.create_user(f"reader-{n}", role="reader") for n in range(readers)]
    trials = list(Trial.objects.filter(name="Bulb fennel, main season").order_by("season"))
    running, by = trials[-1], User.objects.get(username="tam")
    pages = ["/", "/trials/", "/cultivars/", "/programmes/", "/ground/"]
    for trial in trials:
        home = f"/trials/{trial.slug}/"
        pages += [home, f"{home}compare/", f"{home}calendar/", f"{home}report/"]
    walks = [
        f"/trials/{running.slug}/walk/{open_round(running, world.trait(key), timezone.localdate(), by).pk}/bring-in/"
        for key in ("vigour", "damage")
    ]
    plots = list(running.plots.values_list("pk", flat=True))
    return [(session_of(who), who.pk) for who in people], (session_of(by), by.pk), pages, walks, plots


def reading(port: int, session: Person, pages: list[str], n: int, heard: Heard, begin: float, over: threading.Event) -> None:
    """One who reads a page after the other, as a browser keeps its connection."""
    line = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
    headers = {"Cookie": f"sessionid={session[0]}", "Accept-Encoding": "gzip"}
    while not over.is_set():
        n += 1
        page, start = pages[n % len(pages)], time.perf_counter()
        line.request("GET", page, headers=headers)
        answer = line.getresponse()
        answer.read()
        if start >= begin:
            heard.note(page, answer.status, time.perf_counter() - start)


def writing(
    port: int, session: Person, url: str, plots: list[int], n: int, heard: Heard, begin: float, over: threading.Event
) -> None:
    """One phone that brings in batches."""
    line = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
    headers = {"Cookie": f"sessionid={session[0]}; csrftoken={TOKEN}", "X-CSRFToken": TOKEN, "Content-Type": "application/json"}
    stands: dict[int, str] = dict.fromkeys(plots, "")  # so that each batch says something new of its plots, as a walk does
    while not over.is_set():
        made, batch, records = int(time.time() * 1000), [], []
        for _ in range(BATCH):
            n += 1
            plot = plots[n % len(plots)]
            value = {"number": (n // len(plots)) % 9 + 1}
            batch.append(plot)
            records.append({"key": str(uuid.uuid4()), "plot": plot, "made": made, "before": stands[plot], **value})
        start = time.perf_counter()
        line.request("POST", url, json.dumps({"who": session[1], "clock": made, "records": records}), headers)
        answer = line.getresponse()
        said = json.loads(answer.read())
        for plot, one in zip(batch, said.get("answers", ()), strict=False):
            stands[plot] = one["stands"]
            if start >= begin:
                heard.answers[one["state"]] += 1
        if start >= begin:
            heard.note("batch", answer.status, time.perf_counter() - start)


if __name__ == "__main__":
    main(*map(int, sys.argv[1:]))
