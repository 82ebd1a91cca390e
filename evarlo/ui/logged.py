"""What was asked and how it went: one line of JSON for each request and each error, under the number that the answer carries too.

Lines go to standard error where `EVARLO_LOG` is set (the service unit sets it), for whatever the system keeps logs with. No query,
no form, no secret of an address is in them. How often and how long is counted, too, for the page of managers."""

from __future__ import annotations

import json
import logging
import os
import re
import time
import traceback
from collections import Counter
from collections.abc import Callable
from contextvars import ContextVar
from pathlib import Path
from threading import Lock
from uuid import uuid4

from django.conf import settings
from django.http import HttpRequest
from django.http.response import HttpResponseBase
from django.utils import timezone
from django.utils.functional import empty

SECRET = ("people:join", "partner", "partner-keep", "own-ballot", "own-score", "trials:feed")  # whose address lets in
GIVEN = re.compile(r"[A-Za-z0-9-]{8,40}")
BOUNDS = (50, 100, 250, 700, 2000)  # milliseconds: up to each, and beyond the last
KEPT_EVERY = 5.0  # seconds after which counts are written for the other processes
access = logging.getLogger("evarlo.access")
number: ContextVar[str] = ContextVar("number", default="")


class AsLine(logging.Formatter):
    """A record of any logger as one line of JSON."""

    def format(self, record: logging.LogRecord) -> str:
        told = getattr(record, "told", None) or {"said": record.getMessage()}
        line = {"at": timezone.now().isoformat(timespec="milliseconds"), "level": record.levelname.lower(), "id": number.get()}
        if record.exc_info and record.exc_info[1]:
            told = told | {"error": "".join(traceback.format_exception(record.exc_info[1]))}
        return json.dumps(line | told, ensure_ascii=False)


class Logged:
    """Gives each request a number, which a proxy may have given already, and writes down how it went."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        given = request.headers.get("X-Request-Id", "")
        own = given if os.environ.get("EVARLO_PROXY") and GIVEN.fullmatch(given) else uuid4().hex[:16]
        number.set(own)
        start = time.perf_counter()
        response = self.get_response(request)
        ms = 1000 * (time.perf_counter() - start)
        response["X-Request-Id"] = own
        counts.add(response.status_code, ms)
        if access.isEnabledFor(logging.INFO):
            access.info("", extra={"told": _told(request, response, ms)})
        return response


def _told(request: HttpRequest, response: HttpResponseBase, ms: float) -> dict[str, object]:
    match = request.resolver_match
    secret = match is not None and match.view_name in SECRET
    user = getattr(request, "user", None)
    known = (
        user is not None and getattr(user, "_wrapped", None) is not empty and user.is_authenticated
    )  # nobody is looked up for it
    return {
        "from": request.META.get("REMOTE_ADDR", ""),
        "who": user.pk if known and user is not None else None,
        "method": request.method,
        "path": f"/{match.route}" if match is not None and secret else request.path[:300],
        "status": response.status_code,
        "ms": round(ms, 1),
        "bytes": None if response.streaming else len(response.content),  # type: ignore[attr-defined]
    }


class Counts:
    """How many answers of each kind this process gave, and how long they took; written to the data folder for the others."""

    def __init__(self) -> None:
        self.since = timezone.now().isoformat(timespec="seconds")
        self.status: Counter[str] = Counter()
        self.took: Counter[str] = Counter()
        self.written = 0.0
        self._lock = Lock()

    def add(self, status: int, ms: float) -> None:
        with self._lock:
            self.status[f"{status // 100}xx"] += 1
            self.took[str(next((b for b in BOUNDS if ms <= b), "more"))] += 1
            now = time.monotonic()
            if now - self.written < KEPT_EVERY:
                return
            self.written = now
            told = json.dumps({"since": self.since, "status": self.status, "took": self.took})
        self._write(told)

    def _write(self, told: str) -> None:
        """Counts are no records: where they cannot be written, the answer is given all the same."""
        file = folder() / f"{os.getpid()}.json"
        try:
            folder().mkdir(mode=0o700, exist_ok=True)
            part = file.with_suffix(".part")
            part.write_text(told)
            part.rename(file)
        except OSError:
            return


counts = Counts()


def folder() -> Path:
    return Path(settings.DATA) / "counts"


def counted_in_all() -> tuple[Counter[str], Counter[str], str]:
    """Answers by kind, by how long they took, and since when, over the processes that run now."""
    status: Counter[str] = Counter()
    took: Counter[str] = Counter()
    since = []
    for file in folder().glob("*.json"):
        if not _runs(int(file.stem)):
            file.unlink(missing_ok=True)
            continue
        told = json.loads(file.read_text())
        status.update(told["status"])
        took.update(told["took"])
        since.append(told["since"])
    return status, took, min(since, default="")


def _runs(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True
