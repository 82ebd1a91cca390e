from django.db import migrations

from evarlo.catalogue.library import FIRST


def put_in(apps, schema_editor):
    Trait = apps.get_model("catalogue", "Trait")
    for trait in FIRST:
        Trait.objects.get_or_create(key=trait["key"], defaults=trait)


class Migration(migrations.Migration):
    dependencies = [("catalogue", "0001_initial")]
    operations = [migrations.RunPython(put_in, migrations.RunPython.noop)]
