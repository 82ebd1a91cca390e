"""Traits and guides: what ships is whole, own traits are checked, and a guide's versions stay."""

from typing import Any

from django.urls import reverse

from evarlo.catalogue.models import Crop, Guide, Trait
from evarlo.catalogue.traits import add_trait, guide_of, keep_guide, library, put_in_library, trait_of_column
from evarlo.people.models import Role
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.ui.draw.anchor import drawing_named
from evarlo.ui.refused import Refused


class Shipped(TestCase):
    def test_every_guide_lies_on_its_scale_and_its_drawings_are_there(self) -> None:
        self.assertGreater(Guide.objects.count(), 12)
        for guide in Guide.objects.select_related("trait"):
            for a in guide.anchors:
                with self.subTest(guide=guide, at=a["at"]):
                    low, high = guide.trait.low, guide.trait.high
                    self.assertTrue((low or 0) <= a["at"] <= (high if high is not None else a["at"]))
                    if a["drawing"]:
                        self.assertIn("<svg", drawing_named(a["drawing"]) or "")

    def test_putting_in_twice_changes_nothing(self) -> None:
        before = (Trait.objects.count(), Guide.objects.count())
        put_in_library(Trait, Guide)
        self.assertEqual((Trait.objects.count(), Guide.objects.count()), before)

    def test_traits_are_offered_where_they_fit(self) -> None:
        maize, fennel = (
            Crop(name="Sweetcorn", profile={"family": "Poaceae"}),
            Crop(name="Bulb fennel", profile={"family": "Apiaceae"}),
        )
        silk = world.trait("silked")
        self.assertEqual((silk.is_for(maize), silk.is_for(fennel)), (True, False))
        self.assertTrue(world.trait("vigour").is_for(maize))
        self.assertIsNone(drawing_named("leaf:96"))
        self.assertIsNone(drawing_named("<b>"))


class OfSheets(TestCase):
    def test_columns_of_nearly_one_name_are_each_found_again(self) -> None:
        """“kg” with and without brackets have one key; the second was made anew at each call, and a sheet never came to its end."""
        names = ("Height (cm)", "Height cm", "Height, cm")
        first = [trait_of_column(name).pk for name in names]
        self.assertEqual(len(set(first)), 3)
        self.assertEqual([trait_of_column(name).pk for name in names], first)


class Own(TestCase):
    def typed(self, **more: Any) -> dict[str, Any]:
        return {
            "name": "Scent",
            "kind": "score",
            "method": "Crush a leaf",
            "unit": "",
            "direction": "higher",
            "samples": None,
            "repeated": True,
            "low": None,
            "high": None,
            "matters": None,
            "choices": "",
            **more,
        }

    def test_each_kind_gets_its_scale(self) -> None:
        for kind, low, high, unit in (
            ("score", 1, 9, ""),
            ("percent", 0, 100, "%"),
            ("affected", 0, 100, "%"),
            ("yesno", 0, 1, ""),
            ("count", 0, None, ""),
        ):
            made = add_trait(self.typed(name=f"Of {kind}", kind=kind), None)
            self.assertEqual((made.low, made.high, made.unit), (low, high, unit), kind)
        date = add_trait(self.typed(name="Of date", kind="date", samples=9), None)
        self.assertEqual((date.repeated, date.samples), (False, 1))
        kinds = add_trait(self.typed(name="Of kinds", kind="category", choices="flat, round ,  tall"), Crop.objects.all()[0])
        self.assertEqual(
            (kinds.choices, kinds.compared, kinds.fits), (["flat", "round", "tall"], False, [Crop.objects.all()[0].name])
        )
        self.assertIn(kinds, library())

    def test_what_cannot_be(self) -> None:
        for more, said in (
            ({"name": "vigour"}, "in the list already"),
            ({"kind": "measure", "low": 5, "high": 5}, "above the lowest"),
            ({"kind": "category", "choices": "one"}, "two to nine"),
            ({"kind": "category", "choices": "a, A"}, "two to nine"),
        ):
            with self.subTest(said=said), self.assertRaisesMessage(Refused, said):
                add_trait(self.typed(**more), None)

    def test_guides_change_in_versions_with_a_reason(self) -> None:
        by, trait = world.person(), add_trait(self.typed(), None)
        first = keep_guide(
            trait, [{"at": 9, "words": "shed", "drawing": ""}, {"at": 1, "words": "none", "drawing": ""}], [], "", by
        )
        assert first
        self.assertEqual([a["at"] for a in first.anchors], [1, 9])
        self.assertIsNone(keep_guide(trait, first.anchors, [], "", by))
        with self.assertRaisesMessage(Refused, "Say why it changes"):
            keep_guide(trait, [], [], "", by)
        for at, drawing, said in ((11, "", "off the scale"), (3, "moon:4", "no drawing")):
            with self.assertRaisesMessage(Refused, said):
                keep_guide(trait, [{"at": at, "words": "x", "drawing": drawing}], [], "because", by)
        keep_guide(trait, [], [{"what": "Dust", "tell": "wipes off"}], "Simpler", by)
        newest = guide_of(trait)
        self.assertEqual((newest.version if newest else 0, trait.guides.count()), (2, 2))

    def test_who_may_describe(self) -> None:
        url = reverse("catalogue:new-trait")
        self.client.force_login(world.person(Role.HELPER))
        self.assertEqual(self.client.post(url, {}).status_code, 403)
        self.client.force_login(world.person(Role.EVALUATOR))
        typed = {"name": "Scent", "kind": "score", "direction": "higher", "method": "Crush a leaf", "repeated": "on"}
        self.assertEqual(self.client.post(url, typed).status_code, 302)
        guide = reverse("catalogue:new-guide", args=[Trait.objects.get(name="Scent").pk])
        for text, said in (("five is usual", "Expected a number and words"), ("5", "Expected a number and words")):
            answer = self.client.post(guide, {"anchors": text, "alike": ""})
            self.assertContains(answer, said, status_code=422)
            self.assertContains(answer, text, status_code=422)
        self.assertContains(self.client.post(guide, {"anchors": "", "alike": "dust"}), "Dust: wipes off", status_code=422)
