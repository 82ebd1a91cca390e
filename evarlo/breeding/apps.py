from django.apps import AppConfig


class BreedingConfig(AppConfig):
    name = "evarlo.breeding"
