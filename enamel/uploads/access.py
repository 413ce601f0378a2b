"""Find what belongs to the current account: whatever is another artist's is not found."""

from uuid import UUID

from django.http import HttpRequest
from django.shortcuts import get_object_or_404

from enamel.uploads.models import Upload


def own_upload(request: HttpRequest, upload_id: UUID) -> Upload:
    return get_object_or_404(Upload.objects.of(request.user), pk=upload_id)
