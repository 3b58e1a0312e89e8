from django.apps import AppConfig


class PartsConfig(AppConfig):
    name = "tectogon_server.parts"
    label = "parts"
