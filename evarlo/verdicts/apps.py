from django.apps import AppConfig


class VerdictsConfig(AppConfig):
    name = "evarlo.verdicts"

    def ready(self) -> None:
        from evarlo.trials.registry import registry
        from evarlo.verdicts import learning, lessons, seasons

        registry.spans.append(seasons.spans)
        registry.past_cv.append(seasons.past_cv)
        registry.earlier = seasons.earlier
        registry.learnt_prior = learning.prior_of
        registry.remembered.append(lessons.remembered)
        registry.dropped.append(lessons.dropped_of)
        registry.going_on.append(lessons.going_on)
        registry.of_task.append(lessons.of_tasks)
