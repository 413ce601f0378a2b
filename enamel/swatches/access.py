"""Find what belongs to the current account: whatever is another artist's is not found."""

from uuid import UUID

from django.http import HttpRequest
from django.shortcuts import get_object_or_404

from enamel.swatches.models import Swatch, SwatchSheet


def own_sheet(request: HttpRequest, sheet_id: UUID) -> SwatchSheet:
    known = SwatchSheet.objects.of(request.user).select_related("piece", "start")
    return get_object_or_404(known, pk=sheet_id)


def own_swatch(request: HttpRequest, number: int) -> Swatch:
    known = Swatch.objects.select_related("sheet__piece")
    return get_object_or_404(known, pk=number, sheet__in=SwatchSheet.objects.of(request.user))
