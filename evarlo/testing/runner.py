"""Django's test runner, made ready for parallel runs on a file database and for a browser."""

import os
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import connection
from django.test import TransactionTestCase
from django.test.runner import DiscoverRunner, ParallelTestSuite
from hypothesis import HealthCheck
from hypothesis import settings as hypothesis

from evarlo.ui import unchanged
from evarlo.ui.assets import put_ready

# How fast examples are made depends on the machine and what else it does, and says nothing of the code.
# `make test` tries the same examples each time, so that it never fails by chance; `make fuzz` searches with fresh ones.
PATIENT: dict[str, Any] = {"deadline": None, "suppress_health_check": [HealthCheck.too_slow]}
hypothesis.register_profile("steady", derandomize=True, database=None, **PATIENT)
hypothesis.register_profile("fuzz", max_examples=int(os.environ.get("EXAMPLES", "1000")), print_blob=True, **PATIENT)
hypothesis.load_profile(os.environ.get("EVARLO_EXAMPLES", "steady"))


class Runner(DiscoverRunner):
    """Fast hashing, no wait for the disk, tables made at once from the models, and every one of them in the file before it is
    cloned for the workers. That the migrations make the same is tested where a server is started on a new database."""

    def build_suite(self, *args: Any, **kwargs: Any) -> Any:
        suite = super().build_suite(*args, **kwargs)
        if isinstance(suite, ParallelTestSuite):
            suite.subsuites = mixed(suite.subsuites)
        return suite

    def setup_test_environment(self, **kwargs: Any) -> None:
        super().setup_test_environment(**kwargs)
        put_ready()
        os.environ.pop("EVARLO_DATABASE_URL", None)  # a server that a test starts has a place of its own, in a file
        keep_as_in_service()
        os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")
        settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
        if connection.vendor == "sqlite":
            options: dict[str, Any] = settings.DATABASES["default"]["OPTIONS"]
            options["init_command"] = options["init_command"].replace("synchronous=FULL", "synchronous=OFF")

    def setup_databases(self, **kwargs: Any) -> Any:
        for left_behind in Path(settings.DATA).glob("test*.sqlite3*"):
            left_behind.unlink()
        workers, self.parallel = self.parallel, 0
        made = super().setup_databases(**kwargs)
        if made:
            from evarlo.catalogue.shipped import put_in_what_ships

            put_in_what_ships()
        self.parallel = workers
        if workers > 1 and made:
            connection.close()  # the last one to close writes everything into the one file that is copied
            for index in range(workers):
                connection.creation.clone_test_db(suffix=str(index + 1), verbosity=self.verbosity)
        return made


def keep_as_in_service() -> None:
    """Let pages keep what they worked out while nothing has changed, as they do in service: the transaction that Django puts
    round each test, to take it back, is none of theirs. Each test begins with nothing kept."""

    def within_transaction() -> bool:
        return not all(getattr(block, "_from_testcase", False) for block in connection.atomic_blocks)

    def forgetting(cls: type[TransactionTestCase]) -> None:
        unchanged.forget()
        usual(cls)

    usual: Any = TransactionTestCase._pre_setup.__func__  # type: ignore[attr-defined]

    unchanged.within_transaction = within_transaction
    TransactionTestCase._pre_setup = classmethod(forgetting)  # type: ignore[attr-defined]


def mixed(classes: list[Any]) -> list[Any]:
    """The classes in the order in which workers take them: the long ones, then those with a browser, which wait more than they
    compute, spread evenly over the first two thirds of the others, so that no worker computes while another has nothing but
    waiting left."""

    def tagged(some: Any, word: str) -> bool:
        return word in getattr(next(iter(some)), "tags", ())

    long = [c for c in classes if tagged(c, "long")]
    waiting = [c for c in classes if c not in long and tagged(c, "browser")]
    computing = [c for c in classes if c not in long and c not in waiting]
    step = 2 * len(computing) / (3 * len(waiting) or 1)
    places = [(i * step, 0, c) for i, c in enumerate(waiting)] + [(float(i), 1, c) for i, c in enumerate(computing)]
    return long + [c for _, _, c in sorted(places, key=lambda p: p[:2])]
