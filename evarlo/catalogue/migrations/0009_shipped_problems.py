"""The pests, diseases, weeds and disorders that came with Evarlo."""

import json
from pathlib import Path

from django.db import migrations

PROBLEMS = json.loads((Path(__file__).parent / "data" / "problems_0009.json").read_text())


def put_in(apps, schema_editor):
    Problem = apps.get_model("catalogue", "Problem")
    there = {name.casefold() for name in Problem.objects.values_list("name", flat=True)}
    Problem.objects.bulk_create(Problem(**problem) for problem in PROBLEMS if problem["name"].casefold() not in there)


class Migration(migrations.Migration):
    dependencies = [("catalogue", "0008_problems")]
    operations = [migrations.RunPython(put_in, migrations.RunPython.noop)]
