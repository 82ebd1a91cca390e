from django.apps import AppConfig


class EffortConfig(AppConfig):
    name = "evarlo.effort"

    def ready(self) -> None:
        from evarlo.catalogue.models import Trait
        from evarlo.effort import queries
        from evarlo.trials.registry import registry

        registry.readings[Trait.Source.WORK] = queries.readings
        registry.traits.append(queries.traits)
        registry.diary.append(queries.diary)
