"""A place with many pictures taken out and brought in by hand: the file is larger than one request may be."""

import io
import os
import uuid
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from django.utils import timezone
from playwright.sync_api import Route, expect

from evarlo.events.models import Photo
from evarlo.exchange.packages.leaving import write
from evarlo.people.models import Place
from evarlo.testing import world
from evarlo.testing.browser import BrowserTest

MEGABYTES = 17


class LargePackage(BrowserTest):
    forgiven = ("ERR_FAILED",)

    def test_it_goes_in_pieces_of_which_one_is_lost_on_the_way(self) -> None:
        by = world.person()
        made = world.trial(by)
        Place.objects.create(name="Here", key=uuid.uuid4(), made_at=timezone.now())
        Photo.objects.create(
            id=uuid.uuid4(), plot=made.plots.all()[0], taken_on=world.TODAY, width=9, height=9, image=os.urandom(MEGABYTES * 10**6),
            small=b"x", by=by, at=timezone.now(),
        )  # fmt: skip
        out = io.BytesIO()
        write(out, "place", "", by)
        with TemporaryDirectory() as folder, mock.patch.dict("os.environ", {"EVARLO_BACKUPS": folder}):
            file = Path(folder) / "place.zip"
            file.write_bytes(out.getvalue())
            with self.settings(DATA=Path(folder)):
                self.bring(file)

    def bring(self, file: Path) -> None:
        page = self.open("manager")
        page.goto(self.at("/bring-in/packages/"))
        sizes: list[int] = []

        def on_the_way(route: Route) -> None:
            sizes.append(len(route.request.post_data_buffer or b""))
            if len(sizes) == 2:
                route.abort()
            else:
                route.continue_()

        page.route("**/packages/piece/", on_the_way)
        page.get_by_label("Data package (zip)").set_input_files(file)
        page.get_by_role("button", name="Look at it").click()
        expect(page.get_by_text("This is what bringing it in would do")).to_be_visible(timeout=60_000)
        self.assertEqual(len(sizes), 4)  # three pieces, one of them twice
        self.assertLess(max(sizes), 9_000_000)
        page.goto(self.at("/bring-in/packages/"))
        file.write_bytes(b"no package" * 900_000)
        page.get_by_label("Data package (zip)").set_input_files(file)
        page.get_by_role("button", name="Look at it").click()
        expect(page.locator("[data-pieces-said]")).to_contain_text("That is no package", timeout=60_000)
        expect(page.get_by_role("button", name="Look at it")).to_be_enabled()
