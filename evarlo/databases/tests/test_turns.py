"""Whoever wants to write stands in a queue, and nobody stands at its head for ever."""

from __future__ import annotations

import time
import unittest
from unittest import mock

from django.db import OperationalError, connection, transaction

from evarlo.catalogue.models import Crop
from evarlo.databases.sqlite import base
from evarlo.testing.pages import TransactionTestCase


@unittest.skipUnless(connection.vendor == "sqlite", "PostgreSQL has a lock of its own for it")
class Queue(TransactionTestCase):
    def test_many_who_read_and_then_write_all_have_their_turn(self) -> None:
        crop = Crop.objects.create(name="Bray", source="0")

        def adds() -> None:
            for _ in range(10):
                with transaction.atomic():
                    n = int(Crop.objects.get(pk=crop.pk).source)
                    time.sleep(0.001)
                    Crop.objects.filter(pk=crop.pk).update(source=str(n + 1))

        for one in [self.beside(adds) for _ in range(6)]:
            one.join()
        self.assertEqual(Crop.objects.get(pk=crop.pk).source, "60")

    def test_whoever_waits_too_long_is_told_so(self) -> None:
        told: list[str] = []

        def wants() -> None:
            try:
                with transaction.atomic():
                    Crop.objects.create(name="Cove")
            except OperationalError as error:
                told.append(str(error))

        with mock.patch.object(base, "WAIT", 0.1), transaction.atomic():
            self.beside(wants).join()
        self.assertEqual(told, ["database is locked"])
        self.beside(wants).join()
        self.assertEqual((told, Crop.objects.filter(name="Cove").count()), (["database is locked"], 1))

    def test_whoever_fails_or_goes_away_lets_the_next_one_in(self) -> None:
        def fails() -> None:
            try:
                with transaction.atomic():
                    Crop.objects.create(name="Cove")
                    raise KeyError
            except KeyError:
                pass

        def goes_away() -> None:
            connection.set_autocommit(False)
            connection.cursor().execute("BEGIN IMMEDIATE")
            connection.close()

        def goes_away_within() -> None:
            transaction.atomic().__enter__()
            connection.connection.close()
            connection.connection = None
            connection._close()  # type: ignore[attr-defined]

        for leaves in (fails, goes_away, goes_away_within):
            with self.subTest(leaves.__name__):
                self.beside(leaves).join()
                begin = time.monotonic()
                with transaction.atomic():
                    Crop.objects.create(name=leaves.__name__)
                self.assertLess(time.monotonic() - begin, 5)
        self.assertEqual(Crop.objects.filter(name="Cove").count(), 0)
