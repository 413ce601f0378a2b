"""What artists may do with orders at the print shop: see prices, order, delete."""

from enamel.core.errors import Refusal
from enamel.jobs import services as jobs
from enamel.orders.clients import known
from enamel.orders.clients.answers import PriceList
from enamel.orders.clients.known import Known
from enamel.orders.models import ShopOrder
from enamel.prints.models import PrintFile

MOST_COPIES = 500


def price_list() -> Known[PriceList]:
    """Return what is known of the shop's papers and prices, at once."""
    return known.known(known.PRICES, PriceList)


def order(print_file: PrintFile, paper: str, copies: int) -> ShopOrder:
    """Return a new order for a print file; a job sends it.

    Raises
    ------
    Refusal
        When the file is not written, or an order for it is under way.
    """
    if print_file.state != PrintFile.State.DONE or not print_file.file:
        raise Refusal("This file is not written yet; wait until it is, then send it.")
    if not 1 <= copies <= MOST_COPIES:
        raise Refusal(f"Copies: from 1 to {MOST_COPIES}.")
    made = ShopOrder(print_file=print_file, paper=paper, copies=copies)
    if not jobs.submit_once(made):
        raise Refusal("This file is on its way to the shop already.")
    return made


def delete(order: ShopOrder) -> None:
    """Delete an order here; what the shop has, it has. Ordered again the same way it is the same order."""
    proof = order.proof
    order.delete()
    if proof:
        proof.storage.delete(proof.name)
