"""The sample world holds what the tour shows: a clear, a close and a misleading comparison, a flood, a lost label."""

import re
from collections import Counter
from datetime import date

from django.conf import settings
from django.db import models
from django.test import Client, tag

from evarlo.compare.analysis import Comparison
from evarlo.compare.queries import compare
from evarlo.demo.services import build
from evarlo.demo.world import FENNEL
from evarlo.exchange.packages.insides import shaped_or_refused
from evarlo.exchange.packages.tables import all_models, columns_of
from evarlo.people.models import User
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Cause, Exclusion, Trial
from evarlo.walks.models import Observation


@tag("long")
class SampleWorld(TestCase):
    manager: User

    @classmethod
    def setUpTestData(cls) -> None:
        build(date(2026, 11, 24))
        cls.manager = User.objects.get(username="ines")

    def compared(self, season: str, key: str = "marketable-per-plant") -> Comparison:
        return compare(Trial.objects.get(name="Bulb fennel, main season", season=season), world.trait(key), self.manager)

    def test_three_seasons_two_of_them_signed(self) -> None:
        fennel = Trial.objects.filter(name="Bulb fennel, main season").order_by("season")
        self.assertEqual([t.season for t in fennel], ["2024", "2025", "2026"])
        self.assertEqual([t.boards.count() for t in fennel], [1, 1, 0])
        self.assertEqual({(t.entries.count(), t.plots.count()) for t in fennel}, {(12, 48)})

    def test_the_flood_and_the_lost_label_are_accidents_on_record(self) -> None:
        self.assertTrue(Exclusion.objects.filter(note__startswith="Flooded", cause=Cause.ACCIDENT).exists())
        self.assertTrue(Observation.objects.filter(cause=Cause.LOST_LABEL).exists())

    def test_no_page_offers_what_its_reader_may_not_open(self) -> None:
        """Every page a role comes to by links from Today, at most two of a kind: each of its links opens."""
        for name in ("tam", "pell", "reader"):
            user, client = User.objects.get(username=name), Client()
            client.force_login(user, backend=settings.AUTHENTICATION_BACKENDS[-1])
            todo, seen, kinds = ["/"], set[str](), Counter[str]()
            while todo:
                path = todo.pop(0)
                kind = re.sub(r"\d+", "N", re.sub(r"^/trials/[^/]+", "/trials/T", path))
                if path in seen or kinds[kind] > 1:
                    continue
                seen.add(path)
                kinds[kind] += 1
                answer = client.get(path)
                with self.subTest(name=name, path=path):
                    self.assertLess(answer.status_code, 400)
                if answer.status_code == 200 and "html" in answer["Content-Type"]:
                    todo += re.findall(r'<a[^>]* href="(/[^"#?]*)', answer.content.decode())
            self.assertGreater(len(seen), 40)

    def test_what_is_kept_inside_its_columns_is_of_their_shape(self) -> None:
        of_more = [(m, f) for m in all_models() for f in columns_of(m) if isinstance(f, models.JSONField)]
        for model, field in of_more:
            for value in model._default_manager.values_list(field.name, flat=True):
                if value is not None:
                    shaped_or_refused(field, value)
        self.assertGreater(len(of_more), 25)

    def test_a_clear_and_a_close_comparison(self) -> None:
        found = self.compared("2024")
        beats = {s.name: s.beats for s in found.results}
        self.assertEqual((beats["Harl Quoin"], beats["Moth Lantern"]), (1, -1))
        self.assertEqual(beats["Dunnick Late"], 0)

    def test_a_misleading_comparison_is_called_so(self) -> None:
        misled = {s.name: s for s in self.compared("2025").misled}
        self.assertIn("Brakewater", misled)
        self.assertGreater(misled["Brakewater"].mean.raw_mean or 0, misled["Brakewater"].mean.lsmean or 0)

    def test_the_verdicts_follow_the_truth_where_it_is_plain(self) -> None:
        lines = {x["name"]: x for x in Trial.objects.get(name="Bulb fennel, main season", season="2024").boards.get().lines}
        self.assertEqual(lines["Moth Lantern"]["verdict"], "drop")
        quillet = lines["Quillet"]  # bolts in every plot of one season; the person wants to see it once more
        self.assertEqual((quillet["suggested"], quillet["verdict"]), ("drop", "retest"))
        self.assertEqual({t.name for t in FENNEL}, set(lines))
        later = {x["name"]: x for x in Trial.objects.get(name="Bulb fennel, main season", season="2025").boards.get().lines}
        self.assertEqual((later["Quillet"]["verdict"], later["Harl Quoin"]["verdict"]), ("drop", "recommend"))

    def test_any_day_of_the_year_makes_a_believable_world(self) -> None:
        for season in Trial.objects.filter(name="Bulb fennel, main season"):
            assert season.sow_on and season.plant_on
            self.assertLess(season.sow_on, season.plant_on)
        bed = Trial.objects.filter(bed__isnull=False).earliest("pk").bed
        assert bed and bed.site.latitude is not None
        self.assertLess(bed.site.latitude, 0)  # in November the station has its spring in the south

    def test_the_lines_stand_in_incomplete_blocks_and_are_compared_in_them(self) -> None:
        lines = Trial.objects.get(name="Edamame lines")
        self.assertEqual((lines.design, lines.plots.count(), lines.entries.count()), (Trial.Design.INCOMPLETE, 72, 24))
        found = compare(lines, world.trait("plot-yield"), self.manager)
        self.assertTrue(found.worked.recovered)
        self.assertGreater(found.noise_percent or 0, 10)  # the ground is uneven, and small blocks take some of that out
        self.assertTrue(found.left_out)
