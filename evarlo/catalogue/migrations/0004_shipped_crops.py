"""The crops that come with Evarlo; one of that name that is there already keeps what it has."""

from django.db import migrations

from evarlo.catalogue.services import put_in_shipped_crops


def put_in(apps, schema_editor):
    put_in_shipped_crops(apps.get_model("catalogue", "Crop"))


class Migration(migrations.Migration):
    dependencies = [("catalogue", "0003_crop_profile")]
    operations = [migrations.RunPython(put_in, migrations.RunPython.noop)]
