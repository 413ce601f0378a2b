"""Configure the app `orders`."""

from django.apps import AppConfig


class OrdersConfig(AppConfig):
    name = "enamel.orders"

    def ready(self) -> None:
        from enamel.orders import panels
        from enamel.workspace import shell

        shell.register_part(panels.shop_part)
