from django.apps import AppConfig


class HarvestConfig(AppConfig):
    name = "evarlo.harvest"

    def ready(self) -> None:
        from django.conf import settings

        from evarlo.catalogue.models import Trait
        from evarlo.devices.scale import scale_at
        from evarlo.harvest import queries, rounds, samples, store
        from evarlo.trials.registry import registry

        scale_at(settings.SCALE)  # a setting that names no scale is said at the start
        registry.readings[Trait.Source.PICK] = queries.readings
        registry.readings[Trait.Source.TEST] = samples.readings
        registry.readings[Trait.Source.STORE] = store.readings
        registry.diary.append(samples.diary)
        registry.fills.append(queries.fills)
        registry.traits.append(queries.picked_traits)
        registry.diary.append(queries.diary)
        registry.spans.append(queries.spans)
        registry.begun.append(queries.begun)
        registry.due.append(rounds.due)
        registry.borne.append(queries.borne)
        registry.complete.append(queries.complete)
        registry.marks.append(queries.marks)
        registry.newer.append(queries.newer)
        registry.weighed.append(queries.weighed)
        registry.ways.append(queries.ways)
