from django.apps import AppConfig


class PartnersConfig(AppConfig):
    name = "evarlo.partners"

    def ready(self) -> None:
        from evarlo.partners.quality import weight_of
        from evarlo.trials.registry import registry

        registry.weights.append(weight_of)
