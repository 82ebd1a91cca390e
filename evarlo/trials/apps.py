from django.apps import AppConfig


class TrialsConfig(AppConfig):
    name = "evarlo.trials"

    def ready(self) -> None:
        from evarlo.trials import agenda
        from evarlo.trials.registry import registry

        registry.due.append(agenda.due)
