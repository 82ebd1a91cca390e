from django.apps import AppConfig


class PestsConfig(AppConfig):
    name = "evarlo.pests"

    def ready(self) -> None:
        from evarlo.pests import watches
        from evarlo.trials.registry import registry

        registry.pins.append(watches.pins)
