"""The server: two processes on one socket, each of which takes whole requests in before one of its threads works on them, so that
a slow or stalled phone holds nothing but its own connection.

`python -m evarlo.serving --port 8000`. SIGTERM lets what is under way be answered; a process that dies is started anew.
"""

from __future__ import annotations

import argparse
import contextlib
import os
import signal
import socket
import sys
import time
from importlib import import_module
from types import FrameType
from typing import Any

from django.conf import settings
from django.template.loader import get_template
from django.template.utils import get_app_template_dirs
from django.urls import get_resolver, reverse
from waitress.server import create_server
from waitress.task import ThreadedTaskDispatcher
from waitress.wasyncore import loop

PROCESSES, THREADS = 2, 4
NEEDED = ("scipy.special", "scipy.interpolate", "scipy.optimize")  # by the pages that are opened most
ENDS = {signal.SIGTERM, signal.SIGINT}
CONNECTIONS = 1000  # of each process; one that stalls costs some memory and no thread
MOST_BODY = 16_000_000  # bytes: a picture of 12 MB and what is around it; more is refused by its length, before it is read
MOST_HEADER = 32_000
SILENT = 60  # seconds without a byte, after which a connection is closed
BODY_TIME = 300  # seconds within which a request has to be there as a whole
LAST_ANSWERS = 20  # seconds that what is under way gets at the end


class Dispatcher(ThreadedTaskDispatcher):  # type: ignore[misc]
    """Gives requests to threads in the order in which they came, but that whoever brings records goes ahead of the last third of
    those who read: a phone in the field waits least. Among those who bring, too, the first is first."""

    def add_task(self, task: Any) -> None:
        with self.lock:
            place = len(self.queue)
            if brings(task):
                last = max((n + 1 for n, other in enumerate(self.queue) if brings(other)), default=0)
                place = max(last, place * 2 // 3)
            self.queue.insert(place, task)
            self.queue_cv.notify()


def brings(task: Any) -> bool:
    return bool(task.requests) and task.requests[0].command == "POST"


def serve(host: str, port: int) -> None:
    """Serve until SIGTERM or SIGINT."""
    listening = socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET, socket.SOCK_STREAM)
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    listening.bind((host, port))
    listening.listen(1024)
    listening.setblocking(False)
    from evarlo.wsgi import application

    get_ready()
    running: set[int] = set()
    ending = False

    def end(_signal: int, _frame: FrameType | None) -> None:
        nonlocal ending
        ending = True
        for child in running:
            with contextlib.suppress(ProcessLookupError):
                os.kill(child, signal.SIGTERM)

    signal.signal(signal.SIGTERM, end)
    signal.signal(signal.SIGINT, end)
    for _ in range(PROCESSES):
        _fork(running, application, listening)
    while running:
        child, _ = os.wait()
        running.discard(child)
        if not ending:
            time.sleep(0.2)  # one that cannot start does not burn the processor
        if not ending:
            _fork(running, application, listening)
        if ending:  # perhaps just now, before the new one could be told
            end(signal.SIGTERM, None)


def get_ready() -> None:
    """What every first request of a process would wait for is there once for all of them: the pages' modules and addresses, their
    templates, and what reckons."""
    get_resolver().url_patterns  # noqa: B018 - loads them
    reverse("today:home")
    for folder in get_app_template_dirs("templates"):
        for file in folder.rglob("*.html") if folder.is_relative_to(settings.ROOT / "evarlo") else ():
            get_template(str(file.relative_to(folder)))
    for name in NEEDED:
        import_module(name)


def _fork(running: set[int], application: Any, listening: socket.socket) -> None:
    """Start a process. A signal meanwhile waits until both sides know what to do with it."""
    signal.pthread_sigmask(signal.SIG_BLOCK, ENDS)
    child = os.fork()
    if child == 0:
        try:
            work(application, listening)
        finally:
            os._exit(0)
    running.add(child)
    signal.pthread_sigmask(signal.SIG_UNBLOCK, ENDS)


def work(application: Any, listening: socket.socket) -> None:
    """One process: takes in, answers, and at the end answers what is still under way."""
    ended = []
    signal.signal(signal.SIGTERM, lambda *_: ended.append(True))
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # from the keyboard it comes to all; the first process passes it on
    signal.pthread_sigmask(signal.SIG_UNBLOCK, ENDS)
    channels: dict[int, Any] = {}
    dispatcher = Dispatcher()
    dispatcher.set_thread_count(THREADS)
    server = create_server(
        application,
        map=channels,
        sockets=[listening],
        threads=THREADS,
        _dispatcher=dispatcher,
        connection_limit=CONNECTIONS,
        max_request_body_size=MOST_BODY,
        max_request_header_size=MOST_HEADER,
        channel_timeout=SILENT,
        asyncore_use_poll=True,
        ident=None,
        **_behind(os.environ.get("EVARLO_PROXY", "")),
    )
    begun: dict[int, float] = {}
    while not ended:
        loop(timeout=1, use_poll=True, map=channels, count=1)
        _close_the_slow(server, begun, time.monotonic())
    channels.pop(server._fileno, None)
    end_by = time.monotonic() + LAST_ANSWERS
    while time.monotonic() < end_by and any(c.requests or c.total_outbufs_len for c in server.active_channels.values()):
        loop(timeout=0.1, use_poll=True, map=channels, count=1)
    server.task_dispatcher.shutdown(timeout=1)


def _behind(proxy: str) -> dict[str, Any]:
    """How requests are taken from a proxy at this address: it says whose they are and how they came, and nobody else may."""
    if not proxy:
        return {"clear_untrusted_proxy_headers": False}
    told = {"x-forwarded-for", "x-forwarded-proto"}
    return {"trusted_proxy": proxy, "trusted_proxy_headers": told, "clear_untrusted_proxy_headers": True}


def _close_the_slow(server: Any, begun: dict[int, float], now: float) -> None:
    """Close what sends a byte now and then, for longer than any picture takes. `begun` says since when each has been sending."""
    coming = {fd: channel for fd, channel in server.active_channels.items() if channel.request is not None}
    for fd in begun.keys() - coming.keys():
        del begun[fd]
    for fd, channel in coming.items():
        if now - begun.setdefault(fd, now) > BODY_TIME:
            channel.will_close = True


if __name__ == "__main__":
    parser = argparse.ArgumentParser(prog="evarlo.serving", description="Serves Evarlo.")
    parser.add_argument("--host", default="127.0.0.1")
    parser.add_argument("--port", type=int, default=8000)
    asked = parser.parse_args(sys.argv[1:])
    try:
        serve(asked.host, asked.port)
    except OSError as error:
        sys.exit(f"Evarlo cannot listen at {asked.host}:{asked.port}: {error.strerror}.")
