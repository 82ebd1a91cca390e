"""The traits that came with the first version."""

import json
from pathlib import Path

from django.db import migrations

TRAITS = json.loads((Path(__file__).parent / "data" / "traits_0002.json").read_text())


def put_in(apps, schema_editor):
    Trait = apps.get_model("catalogue", "Trait")
    for trait in TRAITS:
        Trait.objects.get_or_create(key=trait["key"], defaults=trait)


class Migration(migrations.Migration):
    dependencies = [("catalogue", "0001_initial")]
    operations = [migrations.RunPython(put_in, migrations.RunPython.noop)]
