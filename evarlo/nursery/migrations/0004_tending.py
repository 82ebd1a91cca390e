"""What is done to trays is tending; care is what is done to plots."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("nursery", "0003_raising_plants")]
    operations = [
        migrations.RenameModel("Care", "Tending"),
        migrations.AlterField(
            "tending",
            "tray",
            models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="tendings", to="nursery.tray"),
        ),
    ]
