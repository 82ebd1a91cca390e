"""What moved to apps of its own is let go of; the tables stay."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [
        ("walks", "0006_tables_of_their_own"),
        ("events", "0001_initial"),
        ("pests", "0001_initial"),
        ("practice", "0001_initial"),
        ("identity", "0001_initial"),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[    
            migrations.RemoveField(
                model_name='event',
                name='by',
            ),
            migrations.RemoveField(
                model_name='event',
                name='damage',
            ),
            migrations.RemoveField(
                model_name='event',
                name='recovery',
            ),
            migrations.RemoveField(
                model_name='event',
                name='trial',
            ),
            migrations.RemoveField(
                model_name='event',
                name='withdrawn_by',
            ),
            migrations.RemoveField(
                model_name='hit',
                name='event',
            ),
            migrations.RemoveField(
                model_name='hit',
                name='by',
            ),
            migrations.RemoveField(
                model_name='hit',
                name='exclusion',
            ),
            migrations.RemoveField(
                model_name='hit',
                name='plot',
            ),
            migrations.RemoveField(
                model_name='care',
                name='by',
            ),
            migrations.RemoveField(
                model_name='care',
                name='plots',
            ),
            migrations.RemoveField(
                model_name='care',
                name='trial',
            ),
            migrations.RemoveField(
                model_name='care',
                name='withdrawn_by',
            ),
            migrations.RemoveField(
                model_name='photo',
                name='by',
            ),
            migrations.RemoveField(
                model_name='photo',
                name='plot',
            ),
            migrations.RemoveField(
                model_name='practice',
                name='back_to',
            ),
            migrations.RemoveField(
                model_name='practice',
                name='by',
            ),
            migrations.RemoveField(
                model_name='watch',
                name='by',
            ),
            migrations.RemoveField(
                model_name='watch',
                name='confirmed_by',
            ),
            migrations.RemoveField(
                model_name='watch',
                name='problem',
            ),
            migrations.RemoveField(
                model_name='watch',
                name='trial',
            ),
            migrations.DeleteModel(
                name='Doubt',
            ),
            migrations.DeleteModel(
                name='Event',
            ),
            migrations.DeleteModel(
                name='Hit',
            ),
            migrations.DeleteModel(
                name='Care',
            ),
            migrations.DeleteModel(
                name='Photo',
            ),
            migrations.DeleteModel(
                name='Practice',
            ),
            migrations.DeleteModel(
                name='Watch',
            ),
            ]
        ),
    ]
