"""Yield per plant is two traits: by the plants standing at a pick, and by those set out."""

from django.db import migrations

STANDING = {
    "name": "Yield per plant standing",
    "method": "Marketable weight by the plants that stood when it was picked.",
}
SET_OUT = {
    "name": "Yield per plant set out",
    "kind": "measure",
    "source": "pick",
    "unit": "g",
    "decimals": 0,
    "failed_counts_as": 0,
    "matters": 20,
    "method": "All marketable weight by the plants that were set out.",
}


def put_in(apps, schema_editor):
    Trait = apps.get_model("catalogue", "Trait")
    Trait.objects.filter(key="marketable-per-plant").update(**STANDING)
    Trait.objects.get_or_create(key="marketable-per-plant-set-out", defaults=SET_OUT)


class Migration(migrations.Migration):
    dependencies = [("catalogue", "0009_shipped_problems")]
    operations = [migrations.RunPython(put_in, migrations.RunPython.noop)]
