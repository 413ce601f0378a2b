"""Forms of orders, and of the spending limit."""

from decimal import Decimal

from django import forms

from enamel.orders.bureau.services import MOST_LIMIT_CENTS


class LimitForm(forms.Form):
    """Form of an artist's monthly spending limit at the bureau."""

    limit = forms.DecimalField(
        min_value=0,
        max_value=MOST_LIMIT_CENTS // 100,
        decimal_places=2,
        error_messages={"invalid": "Say the limit as a number, as in 20 or 12.50."},
    )

    def cents(self) -> int:
        limit: Decimal = self.cleaned_data["limit"]
        return int(limit * 100)


class ShopForm(forms.Form):
    """Form of an order at the print shop."""

    paper = forms.CharField(max_length=40)
    copies = forms.IntegerField(min_value=1, max_value=500)
