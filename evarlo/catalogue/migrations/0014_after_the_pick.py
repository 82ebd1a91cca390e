"""What is told of a harvest by parts, and after it: samples that are tested, lots in store, the time that work took."""

import json
from pathlib import Path

from django.db import migrations, models

TRAITS = json.loads((Path(__file__).parent / "data" / "traits_0014.json").read_text())


def put_in(apps, schema_editor):
    Trait = apps.get_model("catalogue", "Trait")
    for trait in TRAITS:
        Trait.objects.get_or_create(key=trait["key"], defaults=trait)


class Migration(migrations.Migration):
    dependencies = [("catalogue", "0013_harvest_flow")]
    operations = [
        migrations.AlterField(
            model_name="trait",
            name="source",
            field=models.CharField(
                choices=[
                    ("walk", "walking the plots"),
                    ("pick", "the picks"),
                    ("course", "the course of a walked trait over its rounds"),
                    ("within", "the spread between the plants of a plot"),
                    ("test", "samples tested after the pick"),
                    ("store", "the keeping test"),
                    ("work", "the time that work took"),
                ],
                default="walk",
                max_length=6,
            ),
        ),
        migrations.RunPython(put_in, migrations.RunPython.noop),
    ]
