"""Django's test runner, made ready for parallel runs on a file database and for a browser."""

import os
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import connection
from django.test.runner import DiscoverRunner
from hypothesis import HealthCheck
from hypothesis import settings as hypothesis

# How fast examples are made depends on the machine and what else it does, and says nothing of the code.
# `make test` tries the same examples each time, so that it never fails by chance; `make fuzz` searches with fresh ones.
PATIENT: dict[str, Any] = {"deadline": None, "suppress_health_check": [HealthCheck.too_slow]}
hypothesis.register_profile("steady", derandomize=True, database=None, **PATIENT)
hypothesis.register_profile("fuzz", max_examples=int(os.environ.get("EXAMPLES", "1000")), print_blob=True, **PATIENT)
hypothesis.load_profile(os.environ.get("EVARLO_EXAMPLES", "steady"))


class Runner(DiscoverRunner):
    """Fast hashing, no wait for the disk, and every table in the file before it is cloned for the workers."""

    def setup_test_environment(self, **kwargs: Any) -> None:
        super().setup_test_environment(**kwargs)
        os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")
        settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
        options: dict[str, Any] = settings.DATABASES["default"]["OPTIONS"]  # type: ignore[assignment]
        options["init_command"] = options["init_command"].replace("synchronous=FULL", "synchronous=OFF")

    def setup_databases(self, **kwargs: Any) -> Any:
        for left_behind in Path(settings.DATA).glob("test*.sqlite3*"):
            left_behind.unlink()
        workers, self.parallel = self.parallel, 0
        made = super().setup_databases(**kwargs)
        self.parallel = workers
        if workers > 1 and made:
            connection.close()  # the last one to close writes everything into the one file that is copied
            for index in range(workers):
                connection.creation.clone_test_db(suffix=str(index + 1), verbosity=self.verbosity)
        return made
