from django.apps import AppConfig


class WalksConfig(AppConfig):
    name = "evarlo.walks"

    def ready(self) -> None:
        from evarlo.catalogue.models import Trait
        from evarlo.trials.registry import registry
        from evarlo.walks import queries

        registry.readings[Trait.Source.WALK] = queries.readings
        registry.begun.append(queries.begun)
        registry.newer.append(queries.newer)
        registry.reached = queries.reached
        registry.readings[Trait.Source.COURSE] = queries.course
        registry.readings[Trait.Source.WITHIN] = queries.within
        registry.traits.append(queries.walked_traits)
        registry.diary.append(queries.diary)
        registry.spans.append(queries.spans)
        registry.pins.append(queries.pins)
        registry.due.append(queries.due)
        registry.complete.append(queries.complete)
