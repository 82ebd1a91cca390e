"""In which order those who wait are answered, and what is there before the first of them."""

from __future__ import annotations

import sys
from types import SimpleNamespace
from typing import Any
from unittest import TestCase, mock

from django.conf import settings
from django.test import SimpleTestCase

from evarlo.serving import NEEDED, Dispatcher, get_ready


class Queue(TestCase):
    def waiting(self, came: str) -> str:
        """How they are answered who came in this order: readers are small letters, who brings something is a capital."""
        dispatcher: Any = Dispatcher()
        for name in came:
            command = "POST" if name.isupper() else "GET"
            dispatcher.add_task(SimpleNamespace(name=name, requests=[SimpleNamespace(command=command)]))
        return "".join(task.name for task in dispatcher.queue)

    def test_readers_are_answered_as_they_came(self) -> None:
        self.assertEqual(self.waiting("abcdef"), "abcdef")

    def test_who_brings_records_goes_ahead_of_the_last_third(self) -> None:
        self.assertEqual(self.waiting("abcdefX"), "abcdXef")
        self.assertEqual(self.waiting("X"), "X")
        self.assertEqual(self.waiting("aX"), "Xa")

    def test_the_first_who_brings_is_the_first_of_them(self) -> None:
        for came in ("abcdefXYZ", "XYZabc", "aXbYcZ"):
            answered = self.waiting(came)
            self.assertEqual([n for n in answered if n.isupper()], [n for n in came if n.isupper()], answered)
            self.assertEqual([n for n in answered if n.islower()], [n for n in came if n.islower()], answered)

    def test_a_connection_without_a_request_is_no_act(self) -> None:
        dispatcher: Any = Dispatcher()
        dispatcher.add_task(SimpleNamespace(requests=[]))
        self.assertEqual(len(dispatcher.queue), 1)


class Ready(SimpleTestCase):
    def test_what_first_requests_wait_for_is_there_and_every_template_stands_by_itself(self) -> None:
        with mock.patch("evarlo.serving.get_template") as got:
            get_ready()
        names = {call.args[0] for call in got.call_args_list}
        files = {str(f.relative_to(d)) for d in (settings.ROOT / "evarlo").glob("*/templates") for f in d.rglob("*.html")}
        self.assertEqual(names, files)
        self.assertGreater(len(names), 150)
        self.assertLessEqual(set(NEEDED), set(sys.modules))
        get_ready()  # one that cannot be read would keep the server from starting
