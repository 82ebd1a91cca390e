"""What pages are built from: under a name of its content, kept for a year, made again only when something changed."""

import json
import re
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from django.conf import settings
from django.test import SimpleTestCase, TestCase, override_settings

from evarlo.testing import world
from evarlo.ui import assets


class HashedNames(TestCase):
    def test_every_file_of_a_page_is_kept_for_a_year(self) -> None:
        world.person()
        page = self.client.get("/people/log-in/").content.decode()
        files = re.findall(r'(?:href|src)="(/static/[^"#]+)', page)
        self.assertGreater(len(files), 3)
        for path in files:
            with self.subTest(path):
                answer = self.client.get(path)
                self.assertEqual(answer.status_code, 200)
                self.assertIn("max-age=315360000", answer["Cache-Control"])
                self.assertIn("immutable", answer["Cache-Control"])
                answer.close()

    def test_scripts_and_stylesheet_name_one_another_by_hashed_names(self) -> None:
        root = Path(settings.STATIC_ROOT)
        hashed = {
            name for name in json.loads((root / "staticfiles.json").read_text())["paths"].values() if name.endswith((".js", ".css"))
        }
        self.assertGreater(len(hashed), 30)
        for name in sorted(hashed):
            text = (root / name).read_text()
            for other in re.findall(r'(?:from "|url\(")(\.?\.?[\w./-]+)"', text):
                self.assertRegex(other, r"\.[0-9a-f]{12}\.\w+$", name)
                self.assertTrue((root / name).parent.joinpath(other).exists(), f"{name} names {other}")


class PutReady(SimpleTestCase):
    def test_only_a_change_brings_them_over_anew(self) -> None:
        with TemporaryDirectory() as folder, override_settings(STATIC_ROOT=folder):
            with mock.patch.object(assets, "call_command") as collect:
                self.assertTrue(assets.put_ready())
                self.assertFalse(assets.put_ready())
                with mock.patch.object(assets, "_digest", return_value="another"):
                    self.assertTrue(assets.put_ready())
            self.assertEqual(collect.call_count, 2)
