"""The real server, to be killed and started again, and every kind of form that is sent to it until it has answered."""

from __future__ import annotations

import http.client
import json
import os
import random
import signal
import socket
import subprocess
import sys
import threading
import time
import uuid
from collections import Counter
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

ROOT = Path(__file__).parent.parent
TOKEN = "x" * 32
MOST_TASKS, MOST_EVENTS = 55, 95  # below what a trial may have
EACH = 150  # records of a kind, while plots and stations last


class Server:
    """The real server, killed with all its processes and nothing tidied up."""

    def __init__(self) -> None:
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        self.start()

    def start(self, first: Callable[[], None] | None = None) -> None:
        """Start it; `first` is done in the new process before it begins."""
        words = [sys.executable, "-m", "evarlo.serving", "--port", str(self.port)]
        self.process = subprocess.Popen(  # noqa: S603 – our own words
            words,
            cwd=ROOT,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            start_new_session=True,
            preexec_fn=first,  # the threads of this one hold nothing that it needs
        )

    def kill(self) -> None:
        os.killpg(self.process.pid, signal.SIGKILL)
        self.process.wait()


def session_of(person: Any) -> str:
    """A log-in of a person's, made at once."""
    from django.contrib.auth import BACKEND_SESSION_KEY, HASH_SESSION_KEY, SESSION_KEY
    from django.contrib.sessions.backends.db import SessionStore

    store = SessionStore()
    store[SESSION_KEY], store[HASH_SESSION_KEY] = str(person.pk), person.get_session_auth_hash()
    store[BACKEND_SESSION_KEY] = "django.contrib.auth.backends.ModelBackend"
    store.create()
    return str(store.session_key)


def world_of(luck: random.Random) -> tuple[str, list[tuple[str, str, dict[str, str]]]]:
    """A session, and what is posted with it: the kind, the address and the fields."""
    from django.urls import reverse
    from django.utils import timezone

    from evarlo.testing import world
    from evarlo.testing.raising import Nursery

    by, today = world.person(), timezone.localdate()
    n = Nursery(by, today, days=40)
    sown = n.sow_all(72)
    names = [f"N{k}" for k in range(80)]
    made = world.trial(by, name="Storm", entries=names, check="N0", blocks=2, plot_length_m=0.5, plot_width_m=0.5)
    slug, plots, on = made.slug, list(made.plots.all()), today.isoformat()
    posts: list[tuple[str, str, dict[str, str]]] = []
    for plot in plots[:EACH]:
        kg = f"{luck.gauss(4, 0.3):.2f}"
        posts.append(("weigh-in", reverse("harvest:pick", args=[slug]), {"plot": plot.number, "on": on, "marketable_kg": kg}))
    for k in range(EACH):
        plot, station = n.trial.plots.all()[k % 12], str(k // 12)
        posts.append(
            ("station", reverse("nursery:mark", args=[n.trial.slug, plot.pk]), {"station": station, "what": "gap", "on": on})
        )
        if k < MOST_TASKS:
            posts.append(("task", reverse("trials:add-task", args=[slug]), {"what": f"Task {k}", "on": on}))
        fields = {"kind": "hail", "on": on, "plots": plots[k % len(plots)].number, "note": f"Hail {k}"}
        if k < MOST_EVENTS:
            posts.append(("event", reverse("events:new-event", args=[slug]), fields))
        bed = made.bed_id
        posts.append(("soil test", reverse("grounds:add-soil", args=[bed]), {"on": on, "ph": "6.5", "note": f"Sample {k}"}))
    for k in range(EACH):
        sowing = list(sown.values())[k % 4]
        day = today - timedelta(days=38 - k // 4)
        posts.append(("count", reverse("nursery:count", args=[n.trial.slug, sowing.pk]), {"plants": "30", "on": day.isoformat()}))
    for _, _, fields in posts:
        fields["key"] = str(uuid.UUID(int=luck.getrandbits(128), version=4))
    luck.shuffle(posts)
    return session_of(by), posts


def send(port: int, session: str, left: list[tuple[str, str, dict[str, str]]], again: Counter[str], over: threading.Event) -> None:
    """One record after the other, each until the server has answered for it."""
    while left and not over.is_set():
        kind, url, fields = left.pop()
        while True:
            status = post(port, session, url, fields)
            if status and status < 400:
                break
            if status and status < 500:
                again[f"{kind} refused {status}"] += 1
                break
            again["sent again"] += 1
            time.sleep(0.1)


def post(port: int, session: str, url: str, fields: dict[str, str]) -> int:
    """The status of the answer; nought when none came."""
    headers = {
        "Cookie": f"sessionid={session}; csrftoken={TOKEN}",
        "X-CSRFToken": TOKEN,
        "X-Key": fields["key"],
        "Content-Type": "application/x-www-form-urlencoded",
        "Host": f"127.0.0.1:{port}",
    }
    try:
        way = http.client.HTTPConnection("127.0.0.1", port, timeout=20)
        way.request("POST", url, urlencode(fields), headers)
        answer = way.getresponse()
        answer.read()
    except (OSError, http.client.HTTPException):
        return 0
    return answer.status


def told(posts: list[tuple[str, str, dict[str, str]]], again: Counter[str], died: int) -> None:
    """What was sent of each kind and what is there."""
    from django.db import connection

    from evarlo.events.models import Event
    from evarlo.grounds.models import SoilTest
    from evarlo.harvest.models import Picking
    from evarlo.nursery.models import Happening, StationMark
    from evarlo.trials.models import Task

    connection.close()
    models = {"weigh-in": Picking, "station": StationMark, "task": Task, "event": Event, "soil test": SoilTest, "count": Happening}
    sent = Counter(kind for kind, _, _ in posts)
    print(f"{sum(sent.values())} records of {len(sent)} kinds, the server killed {died} times; {json.dumps(again)}")
    kept = {kind: model._default_manager.count() for kind, model in models.items()}
    for kind, count in kept.items():
        print(f"  {kind:<10} sent {sent[kind]:>4}  kept {count:>4}")
    if kept != dict(sent):
        sys.exit("not every record is there once")
