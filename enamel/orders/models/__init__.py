"""Models: orders, and last answers of external services."""

from enamel.orders.models.orders import Order
from enamel.orders.models.sent_coats import SentCoat, SpendingLimit
from enamel.orders.models.services import ServiceAnswer
from enamel.orders.models.shop_orders import ShopOrder

__all__ = ["Order", "SentCoat", "ServiceAnswer", "ShopOrder", "SpendingLimit"]
