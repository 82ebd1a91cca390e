"""What others recorded since a page was loaded is said, and only that."""

from __future__ import annotations

from datetime import timedelta

from django.urls import reverse
from django.utils import timezone

from evarlo.testing import world
from evarlo.testing.pages import TestCase


class News(TestCase):
    def test_others_records_are_said_and_ones_own_are_not(self) -> None:
        by, other = world.person(), world.person("evaluator")
        made = world.trial(by)
        world.sow(made, by)
        self.client.force_login(by, backend="django.contrib.auth.backends.ModelBackend")
        page = self.client.get(made.get_absolute_url())
        self.assertContains(page, f"{reverse('trials:news', args=[made.slug])}?since=20")
        url, since = reverse("trials:news", args=[made.slug]), (timezone.now() - timedelta(seconds=5)).isoformat()
        self.assertEqual(self.client.get(url, {"since": since}).status_code, 204)
        walk = world.walk(made, "vigour", by)
        plots = list(made.plots.select_related("trial"))
        world.keep(walk, plots[0], by, 5.0)
        self.assertEqual(self.client.get(url, {"since": since}).status_code, 204)
        world.keep(walk, plots[1], other, 6.0)
        world.pick(plots[2], other, 2.0)
        self.assertEqual(self.client.get(url, {"since": since}).json(), {"said": "2 records came in from others."})
        later = (timezone.now() + timedelta(seconds=5)).isoformat()
        for nothing in (later, "yesterday", "", "2026-07-01T10:00:00"):
            self.assertEqual(self.client.get(url, {"since": nothing}).status_code, 204)
