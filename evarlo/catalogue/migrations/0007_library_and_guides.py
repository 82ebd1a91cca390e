"""More traits for the common methods, and guides for those that are scored by eye."""

from django.db import migrations

from evarlo.catalogue.traits import put_in_library


def put_in(apps, schema_editor):
    put_in_library(apps.get_model("catalogue", "Trait"), apps.get_model("catalogue", "Guide"))


class Migration(migrations.Migration):
    dependencies = [("catalogue", "0006_traits_and_guides")]
    operations = [migrations.RunPython(put_in, migrations.RunPython.noop)]
