from django.apps import AppConfig


class GroundsConfig(AppConfig):
    name = "evarlo.grounds"
