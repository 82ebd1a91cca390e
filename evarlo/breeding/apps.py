from django.apps import AppConfig


class BreedingConfig(AppConfig):
    name = "evarlo.breeding"

    def ready(self) -> None:
        from evarlo.trials.registry import registry

        registry.of_a_plan |= {"breeding.generation", "breeding.grown"}
