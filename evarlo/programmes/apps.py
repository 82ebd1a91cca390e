from django.apps import AppConfig


class ProgrammesConfig(AppConfig):
    name = "evarlo.programmes"

    def ready(self) -> None:
        from evarlo.programmes import judging
        from evarlo.trials.registry import registry

        registry.judging = judging.judging_of
