from django.apps import AppConfig


class ComputingConfig(AppConfig):
    name = "tectogon_server.computing"
    label = "computing"
