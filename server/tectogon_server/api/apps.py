from django.apps import AppConfig


class ApiConfig(AppConfig):
    name = "tectogon_server.api"
    label = "api"
