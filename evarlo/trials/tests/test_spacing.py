"""Plans that grow by what people do: another distance for an entry of another habit, staggered rows, beds with as many blocks each,
single strips with the years as replicates."""

from django.urls import reverse
from django.utils import timezone
from scipy.stats import nct
from scipy.stats import t as student

from evarlo.compare.places import places_of
from evarlo.grounds.models import Bed
from evarlo.harvest.queries import areas
from evarlo.nursery.stand import stands
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.forms import as_typed
from evarlo.trials.ground import close_plan
from evarlo.trials.models import Trial
from evarlo.trials.needs import needs_of
from evarlo.trials.queries import plots_of
from evarlo.ui.refused import Refused

TYPED = {"crop": "Bulb fennel", "season": "2027", "site": "Ostrel Flats", "bed": "North strip", "bed_length_m": "20"}
TYPED |= {"bed_width_m": "10", "bearing": "75", "blocks": "2", "plot_length_m": "2", "plot_width_m": "1.5", "path_m": "0.5"}
TYPED |= {"between_rows_cm": "40", "in_row_cm": "30", "cv_percent": "15", "trait_1": "plot-yield", "direction_1": "higher"}
TYPED |= {"matters_1": "0.4", "check": "Corvane", "entries": "Corvane\nQuillet\nOF-17", "raised": "sown", "design": "blocks"}


class ByHabit(TestCase):
    """Plots of 3 rows with 6 plants at 30 cm; Quillet stands at 60 cm, so 3 in a row."""

    def setUp(self) -> None:
        self.by = world.person()
        self.client.force_login(self.by)

    def test_what_is_needed_wanted_and_judged_goes_by_each_entry(self) -> None:
        made = world.trial(self.by, own_spacing={"Quillet": 60}, raised=False, border=1)
        needs = {r.entry.cultivar.name: r for r in needs_of(made, {}, timezone.localdate()).rows}
        self.assertEqual([needs[n].stations for n in ("Corvane", "Quillet")], [3 * 18, 3 * 9])
        self.assertEqual([needs[n].seeds for n in ("Corvane", "Quillet")], [78, 39])  # 54 and 27 ÷ (0.85 × 0.9), a tenth to spare
        wanted = {s.plot.entry.cultivar.name: s.wanted for s in stands(made)}
        self.assertEqual((wanted["Corvane"], wanted["Quillet"]), (18, 9))
        ground = areas(made)
        plot = {p.entry.cultivar.name: ground[p.pk] for p in plots_of(made)}
        self.assertAlmostEqual(plot["Corvane"], 3 * 4 / 18)  # one row of four judged
        self.assertAlmostEqual(plot["Quillet"], 3 * 1 / 9)
        code = made.entries.get(cultivar__name="Quillet").code
        page = self.client.get(made.get_absolute_url())
        self.assertContains(page, f"18 plants a plot, 4 of them judged; 9 of {code}, 60 cm in the row")
        self.assertContains(self.client.get(reverse("trials:needs", args=[made.slug])), "9 to 18 stations")

    def test_every_dot_of_the_plan_is_a_station(self) -> None:
        made = world.trial(self.by, own_spacing={"Quillet": 60}, staggered=True)
        drawn = str(close_plan(made, self.by))
        self.assertEqual(drawn.count("h0M") + drawn.count('h0"'), 3 * (3 * 18 + 9))
        self.assertContains(self.client.get(made.get_absolute_url()), "rows staggered")

    def test_the_form_takes_it_says_it_back_and_refuses_what_cannot_stand(self) -> None:
        url = reverse("trials:new")
        for own, said in (
            ("Quillet", "Expected a name and its distance"),
            ("Nobody 60", "“Nobody” is not among the entries"),
            ("Quillet 250", "a plot holds no plant to judge"),
            ("Quillet 900", "Expected"),
        ):
            with self.subTest(own):
                self.assertContains(self.client.post(url, TYPED | {"name": "Habit", "own_spacing": own}), said, status_code=422)
        self.client.post(url, TYPED | {"name": "Habit", "own_spacing": "quillet: 60 cm\nOF-17 45", "staggered": "on"})
        made = Trial.objects.get(name="Habit")
        kept = dict(made.entries.values_list("cultivar__name", "in_row_cm"))
        self.assertEqual(kept, {"Corvane": None, "Quillet": 60.0, "OF-17": 45.0})
        typed = as_typed(made)
        self.assertEqual((set(typed["own_spacing"].splitlines()), typed["staggered"]), ({"Quillet 60", "OF-17 45"}, True))
        panel = self.client.post(reverse("trials:forecast"), TYPED | {"name": "Habit", "own_spacing": "Quillet 60"})
        self.assertContains(panel, "9 of Quillet")
        self.assertContains(panel, "<dd>130</dd>", html=True)  # 36, 36 and 18 ÷ 0.765, a tenth to spare: 52 + 52 + 26


class InEachBed(TestCase):
    """A tunnel beside the open strip, with as many blocks."""

    def setUp(self) -> None:
        self.by = world.person()
        self.client.force_login(self.by)
        world.plan()
        strip = Bed.objects.get(name="North strip")
        self.tunnel = Bed.objects.create(site=strip.site, name="Tunnel", length_m=12, width_m=6, environment="tunnel")

    def test_as_many_blocks_stand_in_every_bed_and_the_place_is_compared(self) -> None:
        said = TYPED | {"name": "Both", "more_beds": "tunnel", "each_bed": "each"}
        self.assertContains(self.client.post(reverse("trials:forecast"), said), "2 and 2 blocks in the 2 beds")
        self.client.post(reverse("trials:new"), said)
        made = Trial.objects.get(name="Both")
        self.assertEqual((made.blocks, made.blocks_a_bed, made.plots.count()), (4, 2, 12))
        where = {(p.block, p.bed.name) for p in made.plots.select_related("bed") if p.bed}
        self.assertEqual(where, {("1", "North strip"), ("2", "North strip"), ("3", "Tunnel"), ("4", "Tunnel")})
        self.assertEqual(set(places_of(made, plots_of(made)).values()), {"open ground", "tunnel"})
        self.assertIn("2 blocks in each bed", made.design_in_words)
        typed = as_typed(made)
        self.assertEqual((typed["blocks"], typed["more_beds"], typed["each_bed"]), (2, "Tunnel", "each"))

    def test_a_bed_that_does_not_hold_them_is_said_with_what_would_fit(self) -> None:
        said = TYPED | {"name": "Both", "more_beds": "Tunnel", "each_bed": "each", "blocks": "9"}
        page = self.client.post(reverse("trials:forecast"), said)
        self.assertContains(page, "It does not fit")
        self.assertContains(
            page, 'data-offer="{&quot;blocks&quot;: &quot;6&quot;}"'
        )  # 2 m plots: 5 + ½ across, so two rows of three
        with self.assertRaisesMessage(Refused, "Name the further beds"):
            world.trial(self.by, each_bed=True)

    def test_next_year_lies_in_the_same_way(self) -> None:
        made = world.trial(self.by, each_bed=True, more_beds=[self.tunnel], blocks=2)
        self.assertEqual(set(made.plots.filter(bed=self.tunnel).values_list("block", flat=True)), {"3", "4"})


class SingleStrips(TestCase):
    def test_one_plot_an_entry_says_what_the_years_will_tell(self) -> None:
        """The smallest difference found 8 times in 10 by a two-sided t test at 5 %, of 3 entries in as many blocks as years."""
        self.client.force_login(world.person())
        page = self.client.post(reverse("trials:forecast"), TYPED | {"name": "Strips", "blocks": "1"}).content.decode()
        self.assertIn("One plot an entry: observation only.", page)
        for years in (3, 6):
            df, root = 2 * (years - 1), (2 / years) ** 0.5
            bar = student.ppf(0.975, df)
            found = next(d / 10 for d in range(1, 3000) if nct.sf(bar, df, d / 10 / 15 / root) >= 0.8)
            self.assertIn(f"{years} a difference of {found:.0f} %", page)
