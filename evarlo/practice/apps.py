from django.apps import AppConfig


class PracticeConfig(AppConfig):
    name = "evarlo.practice"

    def ready(self) -> None:
        from evarlo.practice import trainer
        from evarlo.trials.registry import registry

        registry.warm_up = trainer.warm_up
        registry.eyes = trainer.eyes
