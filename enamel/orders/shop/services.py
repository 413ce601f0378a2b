"""Orders at the print shop: prices, ordering, deleting."""

from enamel.accounts.audit import record
from enamel.accounts.models import AuditEntry
from enamel.core.errors import Refusal
from enamel.jobs import services as jobs
from enamel.orders.clients import last_answers
from enamel.orders.clients.answers import PriceList
from enamel.orders.clients.last_answers import LastAnswer
from enamel.orders.models import ShopOrder
from enamel.prints.models import PrintFile

MOST_COPIES = 500


def price_list() -> LastAnswer[PriceList]:
    """Return the shop's papers and prices, as last answered."""
    return last_answers.last_answer(last_answers.PRICES, PriceList)


def order(print_file: PrintFile, paper: str, copies: int) -> ShopOrder:
    """Submit an order for a print file.

    Raises
    ------
    Refusal
        When the file is not written yet, or an order for it is under way.
    """
    if print_file.state != PrintFile.State.DONE or not print_file.file:
        raise Refusal("This file is not written yet; wait until it is, then send it.")
    if not 1 <= copies <= MOST_COPIES:
        raise Refusal(f"Copies: from 1 to {MOST_COPIES}.")
    made = ShopOrder(print_file=print_file, paper=paper, copies=copies)
    if not jobs.submit_once(made):
        raise Refusal("This file is on its way to the shop already.")
    piece = print_file.layer.piece
    subject = f"{piece.title}, {copies} on {paper}"
    record(piece.owner, AuditEntry.Action.FILE_ORDERED, subject)
    return made


def delete(order: ShopOrder) -> None:
    """Delete an order here; it stays at the shop. The same file ordered the same way again is the same
    order.
    """
    proof = order.proof
    order.delete()
    if proof:
        proof.storage.delete(proof.name)
