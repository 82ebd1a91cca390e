from django.apps import AppConfig


class NurseryConfig(AppConfig):
    name = "evarlo.nursery"

    def ready(self) -> None:
        from evarlo.nursery import queries
        from evarlo.nursery.due import due
        from evarlo.trials.registry import registry

        registry.diary.append(queries.diary)
        registry.spans.append(queries.spans)
        registry.begun.append(queries.begun)
        registry.due.append(due)
        registry.gaps.append(queries.gaps)
        registry.complete.append(queries.complete)
