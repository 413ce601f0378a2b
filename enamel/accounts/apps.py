"""Configure the app `accounts`."""

from django.apps import AppConfig
from django.contrib.auth.signals import user_logged_in


class AccountsConfig(AppConfig):
    name = "enamel.accounts"

    def ready(self) -> None:
        from enamel.accounts.sessions import note_sign_in

        user_logged_in.connect(note_sign_in)
