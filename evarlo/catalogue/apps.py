from django.apps import AppConfig


class CatalogueConfig(AppConfig):
    name = "evarlo.catalogue"
