"""How fast the pages of the sowing bench answer with 300 entries in more than ten thousand cells, against a tenth of that."""

from __future__ import annotations

from datetime import date, timedelta

from bench.timing import best_of, empty_garden, growth

SIZES = (30, 300)  # entries, of 36 cells each
CELLS = 36
PAGES = ("sow/", "coming/", "balance/", "plant/", "stand/", "fairness/")


def raised(entries: int, today: date) -> str:
    """A trial of that many entries, sown in trays of 108 cells and counted three times; its address."""
    from evarlo.nursery.models import Happening, Session, Sowing, Tray
    from evarlo.people.models import User
    from evarlo.testing import world

    by = User.objects.filter(role="manager").first() or world.person()
    names = [f"N{entries}-{i}" for i in range(entries)]
    made = world.trial(by, name=f"Raised {entries}", entries=names, check=names[0], blocks=2, plot_length_m=0.6, plot_width_m=0.4)
    from django.utils import timezone

    now, sown = timezone.now(), today - timedelta(days=18)
    session = Session.objects.create(on=sown, by=by, at=now, medium="sterile")
    sowings = []
    for n, entry in enumerate(made.entries.all()):
        if n % 3 == 0:
            tray = Tray.objects.create(name=f"{entries}-{n}", rows=9, cols=12, made_at=now)
        cells = list(range(n % 3 * CELLS, n % 3 * CELLS + CELLS))
        sowings.append(Sowing(session=session, entry=entry, tray=tray, cells=cells, per_cell=1, seeds=CELLS))
    Sowing.objects.bulk_create(sowings)
    Happening.objects.bulk_create(
        Happening(sowing=s, kind="counted", plants=plants + i % 4, on=sown + timedelta(days=day), by=by, at=now)
        for i, s in enumerate(Sowing.objects.filter(entry__trial=made))
        for day, plants in ((7, 8), (10, 22), (14, 29))
    )
    return made.get_absolute_url()


def main() -> None:
    with empty_garden():
        from django.test import Client

        from evarlo.people.models import User

        print("The sowing bench with many cells, server time of a page")
        urls = [raised(n, date.today()) for n in SIZES]
        client = Client(HTTP_HOST="127.0.0.1")
        client.force_login(User.objects.get(role="manager"), backend="django.contrib.auth.backends.ModelBackend")
        for page in PAGES:
            before = 0.0
            for n, url in zip(SIZES, urls, strict=True):
                taken = best_of(lambda u=url, p=page: client.get(u + p), 3)  # type: ignore[misc]
                print(f"  {page:10s} {n:4d} entries, {n * CELLS:6d} cells: {1000 * taken:6.0f} ms{growth(taken, before, 10)}")
                before = taken


if __name__ == "__main__":
    main()
