"""Places as earlier versions left them, stored as the statements that make them again: each comes to this version whole."""

import gzip
import json
import os
import sqlite3
import subprocess
import sys
from contextlib import closing
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase

STORED = Path(__file__).resolve().parents[1] / "stored"
ROOT = Path(__file__).resolve().parents[3]
COUNTED = ("trials_trial", "trials_plot", "walks_observation", "people_user", "catalogue_trait", "nursery_stepdate")
MEANS = """
select e.code, round(avg(o.number), 6) from walks_observation o join walks_round r on r.id = o.round_id
join catalogue_trait t on t.id = r.trait_id join trials_plot p on p.id = o.plot_id join trials_entry e on e.id = p.entry_id
where t.key = 'plot-yield' group by e.code
"""  # complete blocks with nothing missing: the means that the page shows are the plain ones
ASKED = """
import json
import django; django.setup()
from django.test import Client
from evarlo.people.models import User
from evarlo.trials.models import Trial
visitor, trial = Client(raise_request_exception=True, SERVER_NAME="localhost"), Trial.objects.get()
visitor.force_login(User.objects.get(username="manager"), backend="django.contrib.auth.backends.ModelBackend")
pages = ["/", "/trials/", f"/trials/{trial.slug}/", f"/trials/{trial.slug}/compare/", "/people/", "/bring-in/packages/"]
assert [visitor.get(p).status_code for p in pages] == [200] * len(pages)
found = visitor.get(f"/trials/{trial.slug}/compare/figures.json", {"trait": "plot-yield"}).json()
print(json.dumps({m["entry"]: round(m["lsmean"], 6) for m in found["shown"]["entry_means"]}))
"""


def rows(file: Path) -> dict[str, list[dict[str, object]]]:
    """What stands in some tables, by the columns that they had."""
    with closing(sqlite3.connect(file)) as opened:
        found = {}
        for table in COUNTED:
            names = [c[1] for c in opened.execute(f'pragma table_info("{table}")')]
            found[table] = [dict(zip(names, r, strict=True)) for r in opened.execute(f'select * from "{table}" order by 1')]
    return found


def means(file: Path) -> dict[str, float]:
    with closing(sqlite3.connect(file)) as opened:
        return dict(opened.execute(MEANS).fetchall())


class Stored(TestCase):
    def test_every_stored_place_is_upgraded_and_holds_what_it_held(self) -> None:
        places = sorted(STORED.glob("*.sql.gz"))
        self.assertTrue(places)
        for stored in places:
            with self.subTest(stored=stored.name), TemporaryDirectory() as folder:
                file = Path(folder) / "evarlo.sqlite3"
                with closing(sqlite3.connect(file)) as made:
                    made.executescript(gzip.decompress(stored.read_bytes()).decode())
                before = rows(file)
                env = os.environ | {"EVARLO_DATA": folder, "DJANGO_SETTINGS_MODULE": "evarlo.settings"}
                env.pop("EVARLO_BACKUPS", None)
                said = subprocess.run([sys.executable, "manage.py", "upgrade"], cwd=ROOT, env=env, capture_output=True, text=True)
                self.assertEqual(said.returncode, 0, said.stderr)
                after = rows(file)
                for table, was in before.items():
                    kept = [{name: row[name] for name in old} for row, old in zip(after[table], was, strict=True)]
                    self.assertEqual(kept, was, table)
                self.assertTrue(list((Path(folder) / "backups").glob("*.sqlite3")))  # it was copied first
                page = subprocess.run([sys.executable, "-c", ASKED], cwd=ROOT, env=env, capture_output=True, text=True)
                self.assertEqual(page.returncode, 0, page.stderr)
                self.assertEqual(json.loads(page.stdout), means(file))
