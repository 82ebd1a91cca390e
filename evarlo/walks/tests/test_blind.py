"""Blind is blind: whoever must not know finds no cultivar's name on any page of a running trial, in no export and no source."""

import re
from collections import Counter
from collections.abc import Iterator
from io import BytesIO
from zipfile import ZipFile

from django.test import tag
from django.urls import get_resolver
from django.utils import timezone

from evarlo.demo.services import build
from evarlo.demo.world import FENNEL
from evarlo.demo.world import PASSWORD as SAMPLE
from evarlo.people.models import User
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.testing.tests.test_hostile import patterns
from evarlo.trials.models import Trial

LINK = re.compile(r'(?:href|hx-get|data-data|data-url|src)="([^"#]+)')
PLOT = re.compile(r"/plot/(\d+)/")
QUERY = re.compile(r"(?<==)[^&]*")
MOST, OF_A_KIND = 400, 5  # pages, and pages of one address that differ by a number or by what is asked of them


def texts(name: str, content: bytes) -> Iterator[tuple[str, str]]:
    """What is readable in an answer, and in each part of one that is packed."""
    if not content.startswith(b"PK"):
        yield name, content.decode("utf-8", "replace")
        return
    with ZipFile(BytesIO(content)) as packed:
        for part in packed.namelist():
            yield from texts(f"{name} {part}", packed.read(part))


@tag("long")
class Crawled(TestCase):
    trial: Trial
    names: list[str]

    @classmethod
    def setUpTestData(cls) -> None:
        build(timezone.localdate())
        cls.trial = Trial.objects.filter(name="Bulb fennel, main season").latest("season")
        # The line's code is its name, so it tells nothing by itself.
        cls.names = [t.name for t in FENNEL if not re.fullmatch(r"[A-Z]+-\d+", t.name)]

    def crawl(self, username: str) -> dict[str, str]:
        """Every page that can be reached within the trial, and what stands on it."""
        self.client.force_login(User.objects.get(username=username))
        home = f"/trials/{self.trial.slug}/"
        some: set[str] = set()  # plots: all of them have the same pages
        waiting = ["/", home, f"{home}ground/?layer=entry", "/calendar.ics"]
        seen: dict[str, str] = {}
        kinds: Counter[str] = Counter()
        while waiting and len(seen) < MOST:
            path = waiting.pop(0)
            kind = re.sub(r"\d+", "N", path if "layer=" in path else QUERY.sub("", path))
            if path in seen or kinds[kind] == OF_A_KIND:
                continue
            kinds[kind] += 1
            answer = self.client.get(path)
            content = answer.getvalue()
            seen[path] = content.decode("utf-8", "replace") if answer.status_code == 200 else ""
            for link in LINK.findall(seen[path]):
                link = link.replace("&amp;", "&")
                url = link if link.startswith("/") else path.partition("?")[0] + link if link.startswith("?") else ""
                plot = PLOT.search(url)
                if url.startswith(home) and url not in seen and (plot is None or plot[1] in some or len(some) < 6):
                    some |= {plot[1]} if plot else set()
                    waiting.append(url)
        return seen

    def test_no_address_of_the_trial_tells_them_in_any_format(self) -> None:
        """Every address below the trial's, also those that no page links to, with the numbers of its own records."""
        walk, plot, entry = self.trial.rounds.all()[0], self.trial.plots.all()[0], self.trial.entries.all()[1]
        numbers = {walk.pk, plot.pk, entry.pk}
        formats: Counter[str] = Counter()
        for username in ("pell", "tam"):
            self.client.force_login(User.objects.get(username=username))
            for pattern in (p for p in patterns(get_resolver()) if p.startswith("trials/<slug:slug>/")):
                filled = pattern.replace("<slug:slug>", self.trial.slug, 1)
                for number in sorted(numbers) if "<int" in filled else (0,):
                    url = "/" + re.sub(r"<int:\w+>", str(number), filled)
                    if "<" in url:
                        continue
                    answer = self.client.get(url)
                    if answer.status_code != 200:
                        continue
                    kind = answer.headers["Content-Type"].partition(";")[0]
                    formats[kind] += 1
                    for part, text in texts(url, answer.getvalue()):
                        with self.subTest(username=username, part=part):
                            self.assertEqual([name for name in self.names if name in text], [])
        self.assertGreater(formats.total(), 90)
        self.assertLessEqual({"text/html", "text/csv", "text/calendar", "image/svg+xml", "application/geo+json"}, set(formats))
        self.assertTrue([kind for kind in formats if "zip" in kind or "sheet" in kind])

    def test_helper_and_evaluator_find_codes_only(self) -> None:
        for username in ("pell", "tam"):
            pages = self.crawl(username)
            read = [path for path, text in pages.items() if text]
            self.assertGreater(len(read), 60, username)
            self.assertTrue(any("field.json" in path for path in read))
            for path, text in pages.items():
                told = [name for name in self.names if name in text]
                self.assertEqual(told, [], (username, path))
                if "compare" not in path and "decide" not in path and "report" not in path:
                    self.assertNotIn('class="ring"', text, (username, path))  # nor which code is the check

    def test_the_manager_reads_them(self) -> None:
        self.client.force_login(User.objects.get(username="ines"))
        self.assertContains(self.client.get(f"/trials/{self.trial.slug}/"), "Quillet")

    def test_names_are_opened_by_a_signed_act_with_its_reason(self) -> None:
        self.client.force_login(User.objects.get(username="ines"))
        url = f"/trials/{self.trial.slug}/open-names/"
        for typed, said in (
            ({"why": "The season is over"}, "not your password"),
            ({"why": "x", "password": "guess"}, "not your password"),
            ({"why": " ", "password": SAMPLE}, "Say why the names are opened"),
        ):
            self.assertContains(self.client.post(url, typed, follow=True), said)
            self.trial.refresh_from_db()
            self.assertIsNone(self.trial.opened_at)
        self.client.post(url, {"why": "The season is over", "password": SAMPLE})
        self.trial.refresh_from_db()
        self.assertIsNotNone(self.trial.opened_at)
        self.assertIn("signed by Ines Ravn: The season is over", self.trial.deeds.latest("at").said)
        self.client.force_login(world.person("helper"))
        self.assertEqual(self.client.post(url, {}).status_code, 403)
