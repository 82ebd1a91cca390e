from django.apps import AppConfig


class NurseryConfig(AppConfig):
    name = "evarlo.nursery"

    def ready(self) -> None:
        from evarlo.nursery import coming_up, queries
        from evarlo.trials.registry import registry

        registry.diary.append(queries.diary)
        registry.spans.append(queries.spans)
        registry.begun.append(queries.begun)
        registry.due.append(queries.due)
        registry.due.append(coming_up.due)
        registry.complete.append(queries.complete)
