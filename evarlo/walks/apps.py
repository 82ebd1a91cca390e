from django.apps import AppConfig


class WalksConfig(AppConfig):
    name = "evarlo.walks"

    def ready(self) -> None:
        from evarlo.catalogue.models import Trait
        from evarlo.trials.registry import registry
        from evarlo.walks import events, identity, photos, queries, treating, watching

        registry.readings[Trait.Source.WALK] = queries.readings
        registry.readings[Trait.Source.COURSE] = queries.course
        registry.readings[Trait.Source.WITHIN] = queries.within
        registry.traits.append(queries.walked_traits)
        registry.diary.append(queries.diary)
        registry.spans.append(queries.spans)
        registry.pins.append(queries.pins)
        registry.due.append(queries.due)
        registry.complete.append(queries.complete)
        for part in (events, treating):
            registry.diary.append(part.diary)
            registry.pins.append(part.pins)
            registry.due.append(part.due)
            registry.marks.append(part.marks)
        registry.pins.append(watching.pins)
        registry.diary.extend([identity.diary, photos.diary])
        registry.due.append(identity.due)
        registry.ways.append(queries.ways)
        registry.facts.append(treating.facts)
