"""Submit firings with their settings frozen; stop and resume them."""

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from enamel.accounts.quotas import require_space
from enamel.core.errors import Refusal
from enamel.core.fields import to_json
from enamel.core.finishing.recipe import Finish
from enamel.core.networks.cards import card
from enamel.core.pipeline.inlay import Inlay
from enamel.core.pipeline.pace import Paces
from enamel.core.pipeline.predict import CoatCost, Prediction, predict
from enamel.core.pipeline.touchup import TouchUp
from enamel.core.schedule import Coat, Schedule
from enamel.firings import finishes
from enamel.firings.models import Firing, Timing
from enamel.firings.models.firings import Step, step_as_json, step_from
from enamel.jobs import services as jobs
from enamel.jobs.models import Worker
from enamel.jobs.queueing import FIRINGS
from enamel.library.layers import coat_on, delete_finished_tiles, piece_work
from enamel.library.models import Layer, Piece


def predict_schedule(start: Layer, schedule: Schedule) -> Prediction:
    """Return the predicted cost of a schedule on a layer, on this machine."""
    return predict(schedule, start.size, Timing.objects.paces())


def predict_steps(start: Layer, steps: Sequence[Step], paces: Paces | None = None) -> Prediction:
    """Return the predicted cost of each of several steps on a layer. For touch-ups no existing candidates
    are assumed.

    Parameters
    ----------
    paces : this machine's speeds, where they are known already.
    """
    coats: list[CoatCost] = []
    size, paces = start.size, paces or Timing.objects.paces()
    for step in steps:
        if isinstance(step, Coat):
            coats += predict(Schedule((step,)), size, paces).coats
            size = step.size_from(size)
        elif isinstance(step, TouchUp):
            for patch in step.patches:
                placed = step.placed(patch, size)
                coats += predict(placed.schedule, placed.around.size, paces).coats
    return Prediction(tuple(coats))


def enqueue_schedule(start: Layer, schedule: Schedule) -> Firing:
    """Submit a firing of a schedule on a layer."""
    laid = len(already_laid(start, schedule))
    return _enqueue(
        start, Firing.Work.SCHEDULE, schedule.to_json(), schedule.laid, laid,
        predict_schedule(start, schedule),
    )  # fmt: skip


def enqueue_steps(start: Layer, steps: Sequence[Step], priority: int = 0) -> Firing:
    """Submit a firing of several steps, each on the result of the one before."""
    coats: list[Coat] = []
    for step in steps:
        if not isinstance(step, Coat):
            break
        coats.append(step)
    laid = len(already_laid(start, Schedule(tuple(coats)))) if coats else 0
    frozen = {"steps": [step_as_json(step) for step in steps]}
    return _enqueue(start, Firing.Work.BATCH, frozen, steps, laid, priority=priority)


def enqueue_touch_up(start: Layer, settings: TouchUp, replaces: Layer | None = None) -> Firing:
    """Submit a firing of a touch-up on a layer, which may replace another touch-up."""
    settings.within(start.size)
    return _enqueue(
        start, Firing.Work.TOUCH_UP, to_json(settings), [settings], replaces=replaces
    )  # fmt: skip


def enqueue_inlays(start: Layer, inlays: Sequence[Inlay]) -> Firing:
    """Submit a firing that inlays pictures into a layer."""
    if not inlays:
        raise Refusal("Nothing is laid over the layer yet; choose a picture first.")
    frozen = {"inlays": [to_json(settings) for settings in inlays]}
    return _enqueue(start, Firing.Work.INLAY, frozen, [tuple(inlays)])


def enqueue_finish(start: Layer, recipe: Finish, replaces: Layer | None = None) -> Firing:
    """Submit a firing of a finish on a layer, which may replace another finish."""
    if not recipe.steps:
        raise Refusal("No step is on, so nothing would change; switch one on first.")
    finishes.reference_of(start, recipe)
    return _enqueue(start, Firing.Work.FINISH, recipe.to_json(), [recipe], replaces=replaces)


def last_schedule(piece: Piece) -> Schedule | None:
    """Return the schedule fired last on the base of a piece."""
    on_base = {"work": Firing.Work.SCHEDULE, "start__kind": Layer.Kind.BASE}
    last = piece.firings.filter(**on_base).first()
    return last.schedule() if last else None


def after(layer: Layer) -> list[Layer]:
    """Return the chain of layers made from a layer; where it branches, the newest branch."""
    found: list[Layer] = []
    step = layer
    while (following := step.children.order_by("-created").first()) is not None:
        found.append(following)
        step = following
    return found


def replaced_by(layer: Layer) -> Layer | None:
    """Return the layer that another replaced: the one that its touch-up or finish was to change."""
    earlier = layer.replaces
    return earlier if earlier and after(earlier) else None


def enqueue_again(start: Layer, made_before: Sequence[Layer]) -> Firing:
    """Submit a firing that makes layers again on another layer, by the same steps."""
    if not made_before:
        raise Refusal("Nothing was made after it, so there is nothing to do again.")
    forms = [layer.step_form for layer in made_before]
    steps = [step_from(form) for form in forms]
    for step in steps:
        if isinstance(step, TouchUp):
            step.within(start.size)
    return _enqueue(start, Firing.Work.AGAIN, {"steps": forms}, steps)


def _enqueue(
    start: Layer,
    work: str,
    frozen: Any,
    steps: Sequence[Step],
    laid: int = 0,
    prediction: Prediction | None = None,
    replaces: Layer | None = None,
    priority: int = 0,
) -> Firing:
    prediction = prediction or predict_steps(start, steps)
    require_space(start.piece.owner_id, prediction.disk_mb, piece_work(start.piece))
    predicted = prediction_as_json(prediction, laid)
    firing = Firing(
        piece=start.piece,
        start=start,
        work=work,
        replaces=replaces,
        priority=priority,
        frozen=frozen,
        models_used=model_digests(steps),
        predicted=predicted,
        predicted_seconds=predicted["seconds"],
        total=sum(coat.tasks for coat in prediction.coats),
    )
    jobs.submit(firing)
    return firing


def stop(firing: Firing, *, for_good: bool = False) -> None:
    """Stop a firing: after the current tile when a worker is at it, else at once. Stopped for good, its
    finished tiles are deleted; otherwise it can be resumed later.
    """
    Firing.objects.filter(pk=firing.pk).update(dismissed=for_good)
    jobs.stop(firing)
    if for_good and not firing.open:
        delete_finished_tiles(firing.piece)


def unattended(firing: Firing) -> bool:
    """Return whether a firing waits or runs while no live worker could carry it out."""
    return firing.open and not Worker.objects.served(FIRINGS)


def resume(firing: Firing) -> None:
    """Put a stopped or failed firing back in the queue; its finished tiles are kept."""
    if not jobs.resume(firing):
        firing.refresh_from_db()
        raise Refusal(f"This firing is {firing.state_label.lower()}; it can't be resumed.")


def dismiss(firing: Firing) -> None:
    """Dismiss a firing that ended without a result, and delete its finished tiles."""
    if firing.open:
        raise Refusal("This firing still runs; stop it first.")
    Firing.objects.filter(pk=firing.pk).update(dismissed=True)
    delete_finished_tiles(firing.piece)


def stop_for_deletion(*, piece: Piece, **signal: Any) -> None:
    """Stop the firings of a piece that is deleted."""
    piece.firings.all().stop()


def already_laid(start: Layer, schedule: Schedule) -> list[Layer]:
    """Return the existing layers that firing the schedule would use as they are: those of its first coats."""
    found: list[Layer] = []
    parent = start
    for coat in schedule.laid:
        _, name = coat_on(parent, coat)
        layer = start.piece.layer_at(name)
        if layer is None:
            break
        found.append(layer)
        parent = layer
    return found


def model_digests(steps: Sequence[Step]) -> dict[str, str]:
    """Return the digest of each refiner that the steps use."""
    used = []
    for step in steps:
        if isinstance(step, Coat) and step.refinement:
            used.append(step.refinement.model)
        elif isinstance(step, TouchUp):
            used.append(step.refine.model)
    return {name: card(name, "refiner").digest for name in used}


def prediction_as_json(prediction: Prediction, laid: int = 0) -> dict[str, Any]:
    """Return the prediction as it is stored and shown. The first ``laid`` coats exist already and take no
    time.
    """
    return {
        "coats": [asdict(coat) | {"seconds": coat.seconds} for coat in prediction.coats],
        "tiles": prediction.tiles,
        "megapixel_steps": round(prediction.megapixel_steps, 2),
        "seconds": round(Prediction(prediction.coats[laid:]).seconds, 2),
        "memory_mb": round(prediction.memory_mb),
        "disk_mb": round(prediction.disk_mb, 1),
    }
