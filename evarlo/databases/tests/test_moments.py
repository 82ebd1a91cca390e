"""A long look at the place sees one moment, and holds nobody up; transactions take turns."""

import time

from django.db import transaction

from evarlo.databases.moments import one_moment
from evarlo.people.models import User
from evarlo.testing import world
from evarlo.testing.pages import TransactionTestCase


class OneMoment(TransactionTestCase):
    def setUp(self) -> None:
        self.by = world.person()

    def rename(self) -> None:
        with transaction.atomic():
            User.objects.filter(pk=self.by.pk).update(first_name="Later")

    def name(self) -> str:
        return User.objects.get(pk=self.by.pk).first_name

    def test_others_write_while_it_looks_and_it_sees_what_was(self) -> None:
        with one_moment():
            before = self.name()
            other = self.beside(self.rename)
            other.join(timeout=10)
            self.assertFalse(other.is_alive(), "who writes waits for who looks")
            self.assertEqual(self.name(), before)
        self.assertEqual(self.name(), "Later")
        with transaction.atomic(), one_moment():
            self.assertEqual(self.name(), "Later")

    def test_one_transaction_at_a_time(self) -> None:
        """What one has read is still so when it writes: fifty times one more, by five at once."""

        def count() -> None:
            for _ in range(10):
                with transaction.atomic():
                    now = User.objects.get(pk=self.by.pk)
                    time.sleep(0.002)
                    User.objects.filter(pk=self.by.pk).update(second_step=now.second_step + 1)

        for one in [self.beside(count) for _ in range(5)]:
            one.join()
        self.assertEqual(User.objects.get(pk=self.by.pk).second_step, 50)
