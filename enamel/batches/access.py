"""Find what belongs to the current account: whatever is another artist's is not found."""

from uuid import UUID

from django.http import HttpRequest
from django.shortcuts import get_object_or_404

from enamel.accounts.people import person
from enamel.batches.models import Batch, BatchItem


def own_batch(request: HttpRequest, batch_id: UUID) -> Batch:
    return get_object_or_404(Batch.objects.of(request.user), pk=batch_id)


def own_batch_item(request: HttpRequest, number: int) -> BatchItem:
    known = BatchItem.objects.with_all().filter(batch__owner_id=person(request).pk)
    return get_object_or_404(known, pk=number)
