"""Touch-ups: masks, faces, candidates, and firing them."""

from uuid import UUID

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_GET, require_POST

from enamel.core.errors import FieldRefusal, Refusal
from enamel.core.faces.detection import Face
from enamel.core.fields import to_json
from enamel.core.geometry import Box
from enamel.core.jsontext import read_json
from enamel.core.written import read_lengths
from enamel.firings import services as firings
from enamel.firings.presenters.refiners import abilities_in
from enamel.library import faces, masks
from enamel.library.access import own_layer, own_piece
from enamel.library.layers import crop_of
from enamel.library.models import Layer, Piece, SavedMask
from enamel.library.views.layers import A_MONTH
from enamel.touchups import services as touchups
from enamel.touchups.forms.touch_up import TouchUpForm, mask_of
from enamel.touchups.jobs import before
from enamel.touchups.models import Candidate, TouchUpDraft
from enamel.touchups.presenters import present_draft, present_face, touch_up_cost
from enamel.workspace.views import show_again

MEASURES = {
    "differs": masks.difference_mask,
    "found": masks.findings_mask,
    "faces": masks.faces_mask,
}


def own_draft(request: HttpRequest, draft_id: UUID) -> TouchUpDraft:
    return get_object_or_404(
        TouchUpDraft.objects.of(request.user).select_related("piece", "layer", "replaces"),
        pk=draft_id,
    )


def own_candidate(request: HttpRequest, number: int) -> Candidate:
    own = Candidate.objects.filter(draft__in=TouchUpDraft.objects.of(request.user))
    return get_object_or_404(own.select_related("draft__layer"), pk=number)


def own_mask(request: HttpRequest, number: int) -> SavedMask:
    own = SavedMask.objects.filter(piece__in=Piece.objects.of(request.user))
    return get_object_or_404(own.select_related("piece"), pk=number)


@require_POST
@login_required
def mend(request: HttpRequest, layer_id: UUID) -> HttpResponse:
    """Submit candidates: for the mask, or for every face."""
    layer = own_layer(request, layer_id)
    form = TouchUpForm(request.POST, start=layer.size)
    if not form.is_valid():
        return show_again(request, layer.piece, "touch-up", form, layer)
    try:
        if request.POST.get("do") == "everyone":
            listed = faces.listed(layer)
            settings = form.for_faces([one.face for one in listed])
            names = [f"Face {one.number + 1}" for one in listed]
        else:
            settings, names = form.for_the_mask(), ["What is masked"]
        changed = _changed(request, layer)
        asked = touchups.submit_candidates(layer, settings, form.tries, names, changed)
    except Refusal as refusal:
        words = refusal.message if isinstance(refusal, FieldRefusal) else str(refusal)
        form.add_error(None, words)
        return show_again(request, layer.piece, "touch-up", form, layer)
    return redirect("touch-up-draft", asked.pk)


def _changed(request: HttpRequest, layer: Layer) -> Layer | None:
    """Return the touch-up layer that is being changed, if any."""
    try:
        wanted = UUID(request.POST.get("change", ""))
    except ValueError:
        return None
    return layer.children.filter(kind=Layer.Kind.TOUCH_UP, pk=wanted).first()


@require_POST
@login_required
def cost(request: HttpRequest, layer_id: UUID) -> HttpResponse:
    """Return the cost of the current touch-up, as part of the page."""
    layer = own_layer(request, layer_id)
    form = TouchUpForm(request.POST, start=layer.size)
    if not form.is_valid():
        return render(request, "web/refused.html", {"form": form})
    shown = {"cost": touch_up_cost(layer, form), "abilities": abilities_in(form)}
    return render(request, "touchups/touch_up_cost.html", shown)


@require_POST
@login_required
def measured_mask(request: HttpRequest, layer_id: UUID) -> JsonResponse:
    """Return a mask measured on a layer, or between it and another layer where one is named."""
    layer = own_layer(request, layer_id)
    measure = request.POST.get("measure", "")
    if measure in ("sharper", "nearer"):
        over = layer.piece.layers.filter(sha256=request.POST.get("over", "")).first()
        if over is None:
            raise Refusal("Choose the picture that is laid over first.")
        found = masks.better_mask(over, layer, measure)
    elif measure in MEASURES:
        found = MEASURES[measure](layer)
    else:
        raise Http404
    if not found.steps:
        raise Refusal("There is no such place on this layer.")
    return JsonResponse({"mask": to_json(found)})


@require_GET
@login_required
@cache_control(private=True, max_age=A_MONTH, immutable=True)
def crop(request: HttpRequest, layer_id: UUID) -> HttpResponse:
    """Send a part of a layer, as WebP."""
    layer = own_layer(request, layer_id)
    sides = read_lengths(request.GET.get("box", ""))
    box = Box(*sides).intersection(Box.whole(layer.size)) if len(sides) == 4 else None
    if box is None or box.empty:
        raise Http404
    return HttpResponse(crop_of(layer, box), content_type="image/webp")


@require_POST
@login_required
def save_faces(request: HttpRequest, layer_id: UUID) -> HttpResponse:
    """Save the faces as corrected, or reset them to those found; return the list as part of the page."""
    layer = own_layer(request, layer_id)
    if "as-found" in request.POST:
        faces.reset_faces(layer.piece)
    else:
        faces.correct_faces(layer, _faces(request.POST.get("faces", "")))
    shown = {
        "layer": layer,
        "faces": [present_face(layer, face) for face in faces.listed(layer)],
        "corrected": layer.piece.faces_kept is not None,
    }
    return render(request, "touchups/faces.html", shown)


def _faces(text: str) -> list[Face]:
    """Return faces from the page: lists of left, top, width, height in px of the layer, and turn."""
    try:
        given = [[float(number) for number in face] for face in read_json(text)]
        if not all(len(face) == 5 and all(abs(n) < 1e6 for n in face) for face in given):
            raise ValueError
    except (ValueError, TypeError):
        raise Refusal("The faces could not be read; nothing was changed.") from None
    return [
        Face(Box(*(round(side) for side in face[:4])), 0.0, (face[4] + 180) % 360 - 180)
        for face in given
    ]


@require_POST
@login_required
def keep_mask(request: HttpRequest, piece_id: UUID) -> JsonResponse:
    """Save the current mask with the piece."""
    piece = own_piece(request, piece_id)
    mask = mask_of(request.POST.get("mask", ""))
    if mask is None:
        raise Refusal("There is nothing drawn to be kept.")
    kept = masks.keep(piece, request.POST.get("name", ""), mask)
    return JsonResponse({"number": kept.pk, "name": kept.name})


@require_POST
@login_required
def change_mask(request: HttpRequest, number: int) -> JsonResponse:
    """Rename or delete a saved mask."""
    kept = own_mask(request, number)
    if "delete" in request.POST:
        kept.delete()
        return JsonResponse({"name": None})
    masks.rename(kept, request.POST.get("name", ""))
    return JsonResponse({"name": kept.name})


@require_GET
@login_required
def kept_mask(request: HttpRequest, number: int) -> JsonResponse:
    return JsonResponse({"mask": own_mask(request, number).mask})


@require_GET
@login_required
def candidates(request: HttpRequest, draft_id: UUID) -> HttpResponse:
    """Show the page of a touch-up's candidates."""
    shown = own_draft(request, draft_id)
    return render(request, "touchups/candidates.html", present_draft(shown))


@require_GET
@login_required
def state(request: HttpRequest, draft_id: UUID) -> JsonResponse:
    """Return the state of each candidate."""
    shown = own_draft(request, draft_id)
    news = [
        {"number": one.pk, "state": one.state, "error": one.error, "verdict": one.verdict,
         "url": reverse("candidate-picture", args=[one.pk]) if one.state == one.State.DONE else None}
        for one in shown.candidates.defer("shown")
    ]  # fmt: skip
    return JsonResponse({"candidates": news})


@require_GET
@login_required
@cache_control(private=True, max_age=A_MONTH, immutable=True)
def candidate_picture(request: HttpRequest, number: int) -> HttpResponse:
    """Send a candidate's preview."""
    seen = own_candidate(request, number).shown
    if seen is None:
        raise Http404
    return HttpResponse(bytes(seen), content_type="image/webp")


@require_GET
@login_required
@cache_control(private=True, max_age=A_MONTH, immutable=True)
def place_before(request: HttpRequest, draft_id: UUID, place: int) -> HttpResponse:
    """Send the place as it is on the layer."""
    shown = own_draft(request, draft_id)
    if place >= len(shown.names):
        raise Http404
    return HttpResponse(before(shown, place), content_type="image/webp")


@require_POST
@login_required
def judge(request: HttpRequest, number: int) -> JsonResponse:
    """Accept or reject a candidate. Its present verdict, sent again, is withdrawn."""
    candidate = own_candidate(request, number)
    asked = request.POST.get("verdict", "")
    known = asked in Candidate.Verdict.values and asked != candidate.verdict
    touchups.judge(candidate, asked if known else "")
    return _verdicts(candidate.draft)


@require_POST
@login_required
def paint(request: HttpRequest, number: int) -> JsonResponse:
    """Restrict a candidate to a mask; without one it is laid whole again."""
    candidate = own_candidate(request, number)
    touchups.paint(candidate, mask_of(request.POST.get("over", "")))
    return _verdicts(candidate.draft)


def _verdicts(shown: TouchUpDraft) -> JsonResponse:
    found = shown.candidates.values_list("pk", "verdict", "over")
    verdicts = [
        {"number": number, "verdict": verdict, "painted": over is not None}
        for number, verdict, over in found
    ]
    return JsonResponse({"candidates": verdicts})


@require_POST
@login_required
def lay(request: HttpRequest, draft_id: UUID) -> HttpResponse:
    """Fire the accepted candidates."""
    shown = own_draft(request, draft_id)
    touchups.lay(shown)
    return redirect(shown.piece)


@require_POST
@login_required
def more(request: HttpRequest, draft_id: UUID) -> HttpResponse:
    """Submit one more candidate for each place."""
    shown = own_draft(request, draft_id)
    try:
        strength, seed = float(request.POST["strength"]), int(request.POST["seed"])
    except (KeyError, ValueError):
        raise Refusal("Give a denoising strength from 0 to 1 and a whole number as seed.") from None
    touchups.more(shown, strength, seed)
    return redirect("touch-up-draft", shown.pk)


@require_POST
@login_required
def stop(request: HttpRequest, draft_id: UUID) -> HttpResponse:
    shown = own_draft(request, draft_id)
    touchups.stop(shown)
    return redirect("touch-up-draft", shown.pk)


@require_POST
@login_required
def delete(request: HttpRequest, draft_id: UUID) -> HttpResponse:
    shown = own_draft(request, draft_id)
    touchups.delete(shown)
    return redirect(f"{shown.piece.get_absolute_url()}?layer={shown.layer_id}&task=touch-up")


@require_POST
@login_required
def do_again(request: HttpRequest, layer_id: UUID) -> HttpResponse:
    """Make the layers after a replaced touch-up again on its replacement."""
    layer = own_layer(request, layer_id)
    earlier = firings.replaced_by(layer)
    if earlier is None:
        raise Refusal("This layer takes no other's place, so there is nothing to do again.")
    firings.enqueue_again(layer, firings.after(earlier))
    return redirect(layer.piece)
