"""Configure the app `accounts`."""

from django.apps import AppConfig


class AccountsConfig(AppConfig):
    name = "enamel.accounts"
