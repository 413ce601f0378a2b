"""Forms of orders, and of money at the bureau."""

from decimal import Decimal

from django import forms

from enamel.orders.bureau.services import MOST_LIMIT_CENTS


class LimitForm(forms.Form):
    """What an artist means to spend at the bureau in a month."""

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
    """An order for the print shop."""

    paper = forms.CharField(max_length=40)
    copies = forms.IntegerField(min_value=1, max_value=500)
