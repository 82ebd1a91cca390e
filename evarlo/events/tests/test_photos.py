"""Pictures: checked, shrunk, stripped of where they were taken, kept once."""

import io
import uuid

from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from django.utils import timezone
from PIL import Image

from evarlo.events.models import Photo
from evarlo.events.photos import GPS, keep_photo, read_picture
from evarlo.people.models import Role
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.ui.refused import Refused


def picture(kind: str = "JPEG", size: tuple[int, int] = (2400, 1200), placed: bool = False, turned: bool = False) -> bytes:
    out = io.BytesIO()
    made = Image.new("RGB", size, "#5f9a63")
    exif = Image.Exif()
    exif[0x010F] = "A maker of cameras"
    if placed:
        exif.get_ifd(GPS).update({1: "S", 2: (41.0, 36.0, 18.0), 3: "E", 4: (5.0, 30.0, 0.0)})
    if turned:
        exif[0x0112] = 6  # a quarter turn
    made.save(out, kind, exif=exif)
    return out.getvalue()


class Reading(TestCase):
    def test_it_is_shrunk_and_everything_but_the_picture_is_left_behind(self) -> None:
        found = read_picture(picture(placed=True), keep_place=False)
        self.assertEqual((found.width, found.height, found.latitude, found.longitude), (1600, 800, None, None))
        again = Image.open(io.BytesIO(found.image))
        self.assertEqual((again.format, again.size, dict(again.getexif())), ("JPEG", (1600, 800), {}))
        self.assertNotIn(b"maker of cameras", found.image)
        self.assertLessEqual(max(Image.open(io.BytesIO(found.small)).size), 320)

    def test_where_it_was_taken_is_kept_when_wished(self) -> None:
        found = read_picture(picture(placed=True), keep_place=True)
        self.assertEqual((found.latitude, found.longitude), (-41.605, 5.5))
        self.assertEqual(dict(Image.open(io.BytesIO(found.image)).getexif()), {})
        self.assertIsNone(read_picture(picture(), keep_place=True).latitude)

    def test_it_stands_upright(self) -> None:
        found = read_picture(picture(size=(400, 200), turned=True), keep_place=False)
        self.assertEqual((found.width, found.height), (200, 400))

    def test_what_is_no_picture_is_refused(self) -> None:
        for raw in (
            b"",
            b"not a picture",
            b"<svg xmlns='http://www.w3.org/2000/svg'/>",
            picture()[:300],
            picture("GIF", (9, 9)),
            b"x" * 12_000_001,
        ):
            with self.subTest(raw=raw[:12]), self.assertRaises(Refused):
                read_picture(raw, keep_place=False)


class Keeping(TestCase):
    def setUp(self) -> None:
        self.by = world.person(Role.HELPER)
        self.made = world.trial(world.person())
        self.plot = self.made.plots.all()[0]
        self.today = timezone.localdate()

    def test_the_same_key_is_kept_once(self) -> None:
        key = uuid.uuid4()
        for _ in range(2):
            keep_photo(self.plot, key, picture(), "Lesions", self.today, False, self.by, self.today)
        self.assertEqual(Photo.objects.count(), 1)

    def test_from_the_page_into_the_diary_and_out_again(self) -> None:
        self.client.force_login(self.by)
        at = [self.made.slug, self.plot.pk]
        url = reverse("events:new-photo", args=at)
        wrong = self.client.post(url, {"photo": SimpleUploadedFile("a.jpg", b"no picture", "image/jpeg")})
        self.assertContains(wrong, "Expected JPEG, PNG or WebP", status_code=422)
        self.assertContains(self.client.post(url, {}), "Expected a picture", status_code=422)
        self.client.post(url, {"photo": SimpleUploadedFile("a.jpg", picture(), "image/jpeg"), "note": "Lesions"})
        kept = Photo.objects.get()
        self.assertContains(self.client.get(reverse("trials:plot", args=at)), "Picture taken. Lesions")
        self.assertContains(self.client.get(reverse("events:photos", args=at)), "Lesions")
        one = reverse("events:photo", args=[self.made.slug, kept.pk])
        small, whole = self.client.get(one), self.client.get(f"{one}?whole")
        self.assertEqual((small["Content-Type"], whole["Content-Type"]), ("image/jpeg", "image/jpeg"))
        self.assertLess(len(small.content), len(whole.content))
        self.client.post(reverse("events:undo-photo", args=[self.made.slug, kept.pk]))
        self.assertEqual(self.client.get(one).status_code, 404)
        self.assertEqual(Photo.objects.count(), 1)

    def test_a_phone_is_answered_in_its_own_words(self) -> None:
        self.client.force_login(self.by)
        url = reverse("events:new-photo", args=[self.made.slug, self.plot.pk])

        def send(**more: str) -> tuple[int, str]:
            given = {"key": str(uuid.uuid4()), "who": str(self.by.pk), "taken": str(timezone.now().timestamp() * 1000)} | more
            answer = self.client.post(url, given | {"photo": SimpleUploadedFile("a.jpg", picture(), "image/jpeg")})
            return answer.status_code, answer.json()["state"]

        self.assertEqual(send(), (200, "kept"))
        self.assertEqual(send(who="99999"), (409, "refused"))
        self.assertEqual(send(key="x"), (400, "refused"))
        self.assertEqual(send(taken="1e99"), (400, "refused"))
        self.client.force_login(world.person(Role.READER))
        self.assertEqual(self.client.post(url, {}).status_code, 403)
