"""Copies of the place: made, checked, kept by a rule, put back, and taken before an upgrade."""

import json
import os
import uuid
from datetime import timedelta
from io import StringIO
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.core.management.base import CommandError
from django.db import connection
from django.db.migrations.loader import MigrationLoader
from django.db.migrations.recorder import MigrationRecorder
from django.urls import reverse
from django.utils import timezone

from evarlo.databases.copying import Failed, copying
from evarlo.exchange import backups
from evarlo.exchange.backups import BackUp, Difference, back_up, new_key, prune, replaced_by, restore, upgrade, wrong_with
from evarlo.people.models import Role
from evarlo.testing import world
from evarlo.testing.pages import TransactionTestCase
from evarlo.trials.models import Trial
from evarlo.ui.refused import Refused


class Copies(TransactionTestCase):
    def setUp(self) -> None:
        self.folder = TemporaryDirectory()
        self.addCleanup(self.folder.cleanup)
        patched = mock.patch.dict(os.environ, {"EVARLO_BACKUPS": self.folder.name})
        patched.start()
        self.addCleanup(patched.stop)
        recorder = MigrationRecorder(connection)  # the tests' tables are made from the models: all that ships counts as done
        recorder.ensure_schema()
        for app, name in MigrationLoader(None).disk_migrations:
            recorder.record_applied(app, name)
        self.addCleanup(lambda: connection.cursor().execute("drop table if exists django_migrations"))
        self.by = world.person()
        self.made = world.trial(self.by)

    def test_what_was_lost_comes_back_and_what_was_there_is_kept(self) -> None:
        copy = back_up()
        self.assertEqual((copy.rows["trials_trial"], copy.rows["trials_plot"], wrong_with(copy)), (1, 12, ""))
        self.assertEqual(oct(copy.file.stat().st_mode)[-3:], "600")
        self.assertEqual(replaced_by(copy), [])
        world.trial(self.by, name="Another")
        Trial.objects.filter(pk=self.made.pk).update(name="Spoilt")
        self.assertIn(Difference("trials_plot", 24, 12), replaced_by(copy))
        before = restore(copy)
        self.assertEqual(list(Trial.objects.values_list("name", flat=True)), ["Fennel"])
        self.assertEqual((before.why, before.rows["trials_trial"]), ("before a restore", 2))
        restore(before)
        self.assertEqual(set(Trial.objects.values_list("name", flat=True)), {"Spoilt", "Another"})

    def test_a_copy_that_was_touched_is_not_put_back(self) -> None:
        copy = back_up()
        raw = bytearray(copy.file.read_bytes())
        raw[len(raw) // 2] ^= 0xFF
        copy.file.write_bytes(raw)
        self.assertIn("its fingerprint differs", wrong_with(copy))
        with self.assertRaisesMessage(Refused, "It is not put back"):
            restore(copy)
        copy.file.unlink()
        self.assertEqual(wrong_with(copy), "The file is not there.")
        self.assertEqual(len(backups.backups()), 0)

    def test_one_of_a_newer_version_is_refused_and_nothing_is_left_of_one_that_failed(self) -> None:
        copy = back_up()
        beside = copy.beside
        told = json.loads(beside.read_text())
        beside.write_text(json.dumps(told | {"migrations": [*told["migrations"], "trials.9999_later"]}))
        with self.assertRaisesMessage(Refused, "newer version of Evarlo"):
            restore(backups.backups()[0])
        with (
            mock.patch.object(copying(), "look_through", side_effect=Failed("page 3")),
            self.assertRaises(Refused),
        ):
            back_up()
        self.assertEqual(len(os.listdir(self.folder.name)), 2)
        full = mock.patch.object(backups, "_settle", side_effect=OSError("No space left on device"))
        with full, self.assertRaisesMessage(Refused, "No space left on device"):
            back_up()
        self.assertEqual(len(os.listdir(self.folder.name)), 2)

    def test_the_newest_of_each_day_and_week_stays(self) -> None:
        now = timezone.localtime()
        for hours in range(0, 24 * 120, 12):
            at = now - timedelta(hours=hours)
            name = f"evarlo-{hours:05d}{copying().SUFFIX}"
            copy = BackUp(name, at.isoformat(), "scheduled", "", 0, (), {})
            (backups.folder() / name).touch()
            (backups.folder() / name).with_suffix(".json").write_text(json.dumps(vars(copy)))
        prune(now)
        left = backups.backups()
        days = {b.made.date() for b in left}
        self.assertTrue(all((now - timedelta(days=n)).date() in days for n in range(14)))
        self.assertEqual(len({b.made.strftime("%G-%V") for b in left}), 8)
        self.assertLessEqual(len(left), 14 + 8 + 2)
        self.assertGreaterEqual(min(days), (now - timedelta(days=8 * 7)).date())

    def test_an_upgrade_that_fails_leaves_the_place_as_it_was(self) -> None:
        with mock.patch.object(backups, "pending", return_value=["trials.9999_later"]):
            with mock.patch.object(backups, "call_command", self.breaks), self.assertRaisesMessage(Refused, "as it was"):
                upgrade()
            self.assertEqual(Trial.objects.get().name, "Fennel")
            with mock.patch.object(backups, "call_command"):
                done, before = upgrade()
        assert before
        self.assertEqual((list(done), before.why), (["trials.9999_later"], "before an upgrade"))

    def test_a_locked_copy_is_read_and_put_back_with_its_key_alone(self) -> None:
        locks, opens = new_key()
        with mock.patch.dict(os.environ, {"EVARLO_BACKUP_KEY": locks}):
            copy = back_up()
            self.assertTrue(copy.locked)
            self.assertNotIn(b"Fennel", copy.file.read_bytes())
            self.assertEqual((copy.rows["trials_plot"], wrong_with(copy), backups.backups()), (12, "", [copy]))
            Trial.objects.all().update(name="Spoilt")
            _, another = new_key()
            for key, said in (("", "It is locked"), ("my key", "no key in that file"), (another, "does not open it")):
                with self.assertRaisesMessage(Refused, said):
                    restore(copy, key)
            self.assertEqual((Trial.objects.get().name, backups.backups()), ("Spoilt", [copy]))
            before = restore(copy, f"# of the tests\n{opens}\n")
            self.assertEqual((Trial.objects.get().name, before.locked), ("Fennel", True))
            with mock.patch.object(backups, "pending", return_value=["trials.9999_later"]):
                with mock.patch.object(backups, "call_command", self.breaks), self.assertRaisesMessage(Refused, "as it was"):
                    upgrade()  # without the key that opens
                self.assertEqual(Trial.objects.get().name, "Fennel")
            manager = "django.contrib.auth.backends.ModelBackend"
            self.client.force_login(self.by, backend=manager)
            Trial.objects.all().update(name="Spoilt")
            url = reverse("exchange:restore", args=[copy.name])
            self.assertContains(self.client.get(reverse("exchange:backup", args=[copy.name])), "The file with the key")
            self.assertContains(self.client.post(url, {"word": "put it back"}, follow=True), "give the file with the key")
            told = self.client.post(url, {"word": "put it back", "key": SimpleUploadedFile("k", opens.encode())}, follow=True)
            self.assertContains(told, "The place is as it was on")
            self.assertEqual(Trial.objects.get().name, "Fennel")
        self.assertEqual(sorted(Path(settings.DATA).glob(".*ing-*")), [])  # nothing opened is left lying
        with (
            mock.patch.dict(os.environ, {"EVARLO_BACKUP_KEY": "age1wrong"}),
            self.assertRaisesMessage(Refused, "no key that locks"),
        ):
            back_up()

    def breaks(self, name: str, **_given: object) -> None:
        Trial.objects.all().update(name="Half done")
        raise RuntimeError("a column is missing")

    def test_a_key_is_written_once_and_opens_what_it_locks(self) -> None:
        file, told = Path(self.folder.name) / "key", StringIO()
        call_command("backup_key", str(file), stdout=told)
        locks = told.getvalue().split("EVARLO_BACKUP_KEY=")[1].strip()
        self.assertEqual(oct(file.stat().st_mode)[-3:], "600")
        with self.assertRaises(CommandError):
            call_command("backup_key", str(file), stdout=StringIO())  # what is there is never written over
        with mock.patch.dict(os.environ, {"EVARLO_BACKUP_KEY": locks}):
            copy = back_up()
        Trial.objects.all().update(name="Spoilt")
        with self.assertRaises(CommandError):
            call_command("restore", copy.name, "--yes", stdout=StringIO())
        call_command("restore", copy.name, "--yes", "--key", str(file), stdout=StringIO())
        self.assertEqual(Trial.objects.get().name, "Fennel")

    def test_by_command(self) -> None:
        with mock.patch("sys.stdout"):
            call_command("back_up")
        copy = backups.backups()[0]
        Trial.objects.all().update(name="Spoilt")
        with mock.patch("builtins.input", return_value="no"):
            call_command("restore", copy.name, stdout=mock.Mock())
        self.assertEqual(Trial.objects.get().name, "Spoilt")
        call_command("restore", str(copy.file), "--yes", stdout=mock.Mock())
        self.assertEqual(Trial.objects.get().name, "Fennel")
        with self.assertRaises(CommandError):
            call_command("restore", "nothing.sqlite3")

    def test_in_the_browser_by_a_manager_alone(self) -> None:
        self.client.force_login(world.person(Role.EVALUATOR, "eva"), backend="django.contrib.auth.backends.ModelBackend")
        self.assertEqual(self.client.get(reverse("exchange:backups")).status_code, 403)
        self.client.force_login(self.by, backend="django.contrib.auth.backends.ModelBackend")
        page = self.client.post(reverse("exchange:backups"), follow=True)
        self.assertContains(page, "The place is copied and checked")
        copy = backups.backups()[0]
        Trial.objects.all().update(name="Spoilt")
        url = reverse("exchange:restore", args=[copy.name])
        self.assertContains(self.client.post(url, {"word": "yes"}, follow=True), "Nothing was changed")
        self.assertContains(self.client.get(reverse("exchange:backup", args=[copy.name])), "It is as it was made")
        taken = self.client.get(reverse("exchange:take-away", args=[copy.name]))
        self.assertEqual(b"".join(taken), copy.file.read_bytes())
        told = self.client.post(url, {"word": "Put it back", "act-key": str(uuid.uuid4())}, follow=True)  # as a form sends it
        self.assertContains(told, "The place is as it was on")
        self.assertEqual(Trial.objects.get().name, "Fennel")
        for name in ("../../secret.key", "nothing"):
            self.assertEqual(self.client.get(f"/bring-in/back-ups/{name}/").status_code, 404)
