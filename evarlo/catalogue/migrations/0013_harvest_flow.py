"""How a harvest came in: half of the yield, span, evenness, pieces and what was picked too late are traits of picks."""

from django.db import migrations

TRAITS = (
    {'key': 'days-to-half-yield', 'name': 'Days to half of the yield', 'source': 'pick', 'kind': 'measure', 'unit': 'days', 'decimals': 1, 'direction': 'lower', 'matters': 3, 'method': "From sowing to the day by which half of the season's marketable weight was in, straight between picks."},
    {'key': 'picking-span', 'name': 'Span of picking', 'source': 'pick', 'kind': 'measure', 'unit': 'days', 'decimals': 0, 'matters': 5, 'method': 'From the first to the last pick with anything marketable.'},
    {'key': 'picking-evenness', 'name': 'Evenness of picking', 'source': 'pick', 'kind': 'percent', 'unit': '%', 'decimals': 0, 'matters': 10, 'method': '100 when every pick weighed the same, 0 when all came at once.'},
    {'key': 'pieces-in-all', 'name': 'Marketable pieces', 'source': 'pick', 'kind': 'measure', 'unit': 'pieces', 'decimals': 0, 'failed_counts_as': 0, 'matters': 5, 'method': 'All marketable pieces of the plot, where every pick was counted.'},
    {'key': 'overmature-share', 'name': 'Over-mature share', 'source': 'pick', 'kind': 'percent', 'unit': '%', 'decimals': 0, 'direction': 'lower', 'matters': 5, 'method': 'Over-mature or oversize weight in percent of all that was picked.'},
)


def put_in(apps, schema_editor):
    Trait = apps.get_model("catalogue", "Trait")
    for trait in TRAITS:
        Trait.objects.get_or_create(key=trait["key"], defaults=trait)


class Migration(migrations.Migration):
    dependencies = [("catalogue", "0012_warm_nights")]
    operations = [migrations.RunPython(put_in, migrations.RunPython.noop)]
