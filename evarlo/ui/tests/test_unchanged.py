"""What is kept while nothing has changed is never old: any write of anybody makes it be read anew."""

from __future__ import annotations

import threading
import unittest
from typing import Any

from django.db import connection, connections, transaction

from evarlo.catalogue.models import Crop
from evarlo.testing.pages import TransactionTestCase
from evarlo.ui.unchanged import kept
from evarlo.ui.units import stop_using, use_imperial


@unittest.skipUnless(connection.vendor == "sqlite", "elsewhere nothing is kept")
class Kept(TransactionTestCase):
    def names(self) -> list[str]:
        self.reads += 1
        return sorted(Crop.objects.filter(source="made for this").values_list("name", flat=True))

    def setUp(self) -> None:
        self.reads = 0
        Crop.objects.create(source="made for this", name="Bray")

    def asked(self) -> list[str]:
        return kept(("names", self.id()), self.names)

    def test_read_once_until_something_is_written_here_or_elsewhere(self) -> None:
        self.assertEqual((self.asked(), self.asked(), self.reads), (["Bray"], ["Bray"], 1))
        Crop.objects.create(source="made for this", name="Cove")
        self.assertEqual((self.asked(), self.reads), (["Bray", "Cove"], 2))
        other = threading.Thread(target=self.elsewhere)
        other.start()
        other.join()
        self.assertEqual((self.asked(), self.reads), (["Aber", "Bray", "Cove"], 3))
        self.asked()
        self.assertEqual(self.reads, 3)

    def elsewhere(self) -> None:
        Crop.objects.create(source="made for this", name="Aber")
        connections.close_all()

    def test_what_a_transaction_took_back_is_never_kept(self) -> None:
        def fails() -> None:
            with transaction.atomic():
                Crop.objects.create(source="made for this", name="Dene")
                self.assertEqual(self.asked(), ["Bray", "Dene"])
                raise KeyError

        self.assertRaises(KeyError, fails)
        self.assertEqual(self.asked(), ["Bray"])

    def test_whoever_has_other_units_gets_their_own(self) -> None:
        self.asked()
        token: Any = use_imperial(True)
        self.asked()
        stop_using(token)
        self.asked()
        self.assertEqual(self.reads, 2)
        self.assertFalse(connection.in_atomic_block)
