"""The warmth of nights above which shipped crops set poorly; a crop that somebody gave figures of their own keeps those."""

from django.db import migrations

NIGHTS = {"Tomato": 21.0, "Sweet pepper": 24.0, "Chilli": 24.0, "French bean": 24.0, "Lima bean": 24.0, "Runner bean": 22.0}


def put_in(apps, schema_editor):
    Crop = apps.get_model("catalogue", "Crop")
    for crop in Crop.objects.filter(name__in=NIGHTS, source__startswith="General horticultural knowledge"):
        if "heat_limit_c" in crop.profile and "night_limit_c" not in crop.profile:
            profile = {}
            for key, value in crop.profile.items():  # the new figure stands beside that of the days
                profile[key] = value
                if key == "heat_limit_c":
                    profile["night_limit_c"] = NIGHTS[crop.name]
            crop.profile = profile
            crop.save()


class Migration(migrations.Migration):
    dependencies = [("catalogue", "0011_species")]
    operations = [migrations.RunPython(put_in, migrations.RunPython.noop)]
