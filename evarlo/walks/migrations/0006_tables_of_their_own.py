"""Events, care, pictures, pests, practice and doubts of identity get tables under the names of the apps they move to. The apps
take them over as they are in their first migrations; 0007 lets go of them here."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("walks", "0005_events_and_interventions")]

    operations = [
        migrations.RenameModel("Intervention", "Care"),
        migrations.SeparateDatabaseAndState(
            database_operations=[
                migrations.AlterModelTable("Event", "events_event"),
                migrations.AlterModelTable("Hit", "events_hit"),
                migrations.AlterModelTable("Care", "events_care"),
                migrations.AlterModelTable("Photo", "events_photo"),
                migrations.AlterModelTable("Watch", "pests_watch"),
                migrations.AlterModelTable("Practice", "practice_practice"),
                migrations.AlterModelTable("Doubt", "identity_doubt"),
            ]
        ),
    ]
