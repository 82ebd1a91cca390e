"""More traits for the common methods, and guides for those that are scored by eye."""

import json
from pathlib import Path

from django.db import migrations

LIBRARY = json.loads((Path(__file__).parent / "data" / "traits_0007.json").read_text())


def put_in(apps, schema_editor):
    Trait, Guide = apps.get_model("catalogue", "Trait"), apps.get_model("catalogue", "Guide")
    there = set(Trait.objects.values_list("key", flat=True))
    Trait.objects.bulk_create(Trait(**trait) for trait in LIBRARY["traits"] if trait["key"] not in there)
    for key, samples in LIBRARY["samples"].items():
        Trait.objects.filter(key=key).update(samples=samples)
    without = Trait.objects.filter(key__in=LIBRARY["guides"], guides__isnull=True)
    Guide.objects.bulk_create(Guide(trait=trait, version=1, **LIBRARY["guides"][trait.key]) for trait in without)


class Migration(migrations.Migration):
    dependencies = [("catalogue", "0006_traits_and_guides")]
    operations = [migrations.RunPython(put_in, migrations.RunPython.noop)]
