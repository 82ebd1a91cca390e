"""The pests, diseases, weeds and disorders that come with Evarlo."""

from django.db import migrations

from evarlo.catalogue.problems import put_in_problems


def put_in(apps, schema_editor):
    put_in_problems(apps.get_model("catalogue", "Problem"))


class Migration(migrations.Migration):
    dependencies = [("catalogue", "0008_problems")]
    operations = [migrations.RunPython(put_in, migrations.RunPython.noop)]
