from django.apps import AppConfig


class AccountsConfig(AppConfig):
    name = "tectogon_server.accounts"
    label = "accounts"
