from django.apps import AppConfig


class PartnersConfig(AppConfig):
    name = "evarlo.partners"

    def ready(self) -> None:
        from evarlo.partners.quality import trials_of_partners, weight_of
        from evarlo.trials.registry import registry

        registry.weights.append(weight_of)
        registry.elsewhere.append(trials_of_partners)
