"""Pages of uploads: their state, and dismissing them."""

from uuid import UUID

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from enamel.uploads import services
from enamel.uploads.access import own_upload
from enamel.uploads.models import Upload


@require_GET
@login_required
def state(request: HttpRequest, upload_id: UUID) -> JsonResponse:
    """Return the state of an upload, and its piece once there is one."""
    upload = own_upload(request, upload_id)
    return JsonResponse(
        {
            "open": upload.open,
            "progress": upload.progress if upload.state != Upload.State.WAITING else None,
            "rejected": upload.error,
            "url": reverse("piece", args=[upload.piece_id]) if upload.piece_id else None,
        }
    )


@require_POST
@login_required
def dismiss(request: HttpRequest, upload_id: UUID) -> HttpResponse:
    """Delete an upload that is waiting or was rejected; dismiss the notice of a finished one."""
    upload = own_upload(request, upload_id)
    services.delete(upload)
    return redirect("models" if upload.kind == Upload.Kind.MODEL else "pieces")
