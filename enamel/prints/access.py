"""Find what belongs to the current account: whatever is another artist's is not found."""

from uuid import UUID

from django.http import HttpRequest
from django.shortcuts import get_object_or_404

from enamel.prints.models import PrintFile


def own_print(request: HttpRequest, file_id: UUID) -> PrintFile:
    known = PrintFile.objects.of(request.user).select_related("layer__piece")
    return get_object_or_404(known, pk=file_id)
