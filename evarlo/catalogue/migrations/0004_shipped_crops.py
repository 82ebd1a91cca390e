"""The crops that came with Evarlo; one of that name that is there already keeps what it has."""

import json
from pathlib import Path

from django.db import migrations

CROPS = json.loads((Path(__file__).parent / "data" / "crops_0004.json").read_text())


def put_in(apps, schema_editor):
    Crop = apps.get_model("catalogue", "Crop")
    for crop in CROPS:
        made, new = Crop.objects.get_or_create(name=crop["name"], defaults=crop)
        if not new and not made.profile:
            made.profile, made.source = crop["profile"], crop["source"]
            made.save()


class Migration(migrations.Migration):
    dependencies = [("catalogue", "0003_crop_profile")]
    operations = [migrations.RunPython(put_in, migrations.RunPython.noop)]
