from django.apps import AppConfig


class VerdictsConfig(AppConfig):
    name = "evarlo.verdicts"

    def ready(self) -> None:
        from evarlo.trials.registry import registry
        from evarlo.verdicts import queries

        registry.spans.append(queries.spans)
        registry.past_cv.append(queries.past_cv)
        registry.earlier = queries.earlier
