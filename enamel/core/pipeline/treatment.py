"""Treatments: what a batch does with each of its pictures: coats by kind of picture, faces, a finish,
print files.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from enamel.core.diffusion.noise import SEEDS
from enamel.core.errors import FieldRefusal
from enamel.core.export.naming import USUAL
from enamel.core.export.output import PrintSettings
from enamel.core.faces.detection import Face
from enamel.core.fields import check_fields, from_json, number, setting, to_json
from enamel.core.finishing.recipe import Finish
from enamel.core.geometry import Size
from enamel.core.intake.provenance import Provenance
from enamel.core.intake.subject import Subject
from enamel.core.pipeline.touchup import Patch, TouchUp, patch_for_face
from enamel.core.schedule import Coat, Mode, Refine, Schedule

HAIR = 0.4
"""Margin around a mended face, as a fraction of the face."""


@dataclass(frozen=True, slots=True)
class ForKind:
    """The schedule of one kind of picture."""

    subject: Subject
    schedule: Schedule


@dataclass(frozen=True, slots=True)
class RequestedFile:
    """A print file of each result."""

    settings: PrintSettings = setting(PrintSettings(), "The file, without a print.")
    on_print: bool = setting(False, "Whether it is laid out on the piece's current print.")
    pattern: str = setting(USUAL, "Of its name.")


@dataclass(frozen=True, slots=True)
class Treatment:
    """What is done with each picture, in this order; each step is optional."""

    schedule: Schedule | None = setting(None, "The coats; null for each piece's current schedule.")
    kinds: tuple[ForKind, ...] = setting((), "Other coats for certain kinds of pictures.")
    coats: bool = setting(True, "Whether coats are fired at all.")
    words: bool = setting(
        True, "Whether coats without words take each picture's own words and seed."
    )
    faces: bool = setting(False, "Whether all faces are mended.")
    strength: float = number(0.45, 0, 1, "Denoising strength that faces are mended with.")
    finish: Finish | None = setting(None, "The finish; null for none.")
    files: tuple[RequestedFile, ...] = setting((), "Print files of each result.")

    def __post_init__(self) -> None:
        check_fields(self)
        if not (self.coats or self.faces or self.finish or self.files):
            raise FieldRefusal("coats", "Nothing is chosen, so nothing would be done.")

    @classmethod
    def from_json(cls, given: Any) -> "Treatment":
        """Return a treatment from its JSON form; a `FieldRefusal` names the field that is wrong."""
        return from_json(cls, given)

    def to_json(self) -> dict[str, Any]:
        form: dict[str, Any] = to_json(self)
        return form

    def schedule_for(self, subject: Subject, own: Schedule, made: Provenance) -> Schedule | None:
        """Return the schedule for a kind of picture; None where there are no coats.

        Parameters
        ----------
        own : the current schedule of the picture.
        made : how it was made: prompt and seed.
        """
        if not self.coats:
            return None
        ruled = next((rule.schedule for rule in self.kinds if rule.subject is subject), None)
        chosen = ruled or self.schedule
        if chosen is None:
            return own
        if not self.words:
            return chosen
        return replace(chosen, coats=tuple(_worded(coat, made) for coat in chosen.coats))

    def steps(
        self, schedule: Schedule | None, base: Size, faces: Sequence[Face], refiner: str
    ) -> list[Coat | TouchUp | Finish]:
        """Return the steps that make a picture's layers.

        Parameters
        ----------
        schedule : as `schedule_for` chose it.
        base : size of the picture it begins with.
        faces : on that picture.
        refiner : that faces are mended with.
        """
        coats = schedule.laid if schedule else ()
        found: list[Coat | TouchUp | Finish] = list(coats)
        if self.faces and faces:
            size = schedule.sizes(base)[-1] if schedule and coats else base
            found.append(_mending(faces, base, size, self.strength, refiner))
        if self.finish is not None:
            found.append(self.finish)
        return found


def _worded(coat: Coat, made: Provenance) -> Coat:
    """Return a coat with the picture's prompt and seed, if it has no prompt itself."""
    refine = coat.refine
    if refine is None or refine.prompt or refine.negative_prompt:
        return coat
    seed = made.seed_number
    if seed is None or seed >= SEEDS:
        seed = refine.seed
    worded = replace(
        refine, prompt=made.prompt, negative_prompt=made.negative_prompt, seed=refine.seed or seed
    )
    return replace(coat, refine=worded)


def _mending(
    faces: Sequence[Face], base: Size, size: Size, strength: float, refiner: str
) -> TouchUp:
    """Return a touch-up of every face at a working size that suits it, on a layer of another size than
    the base.
    """
    plain = TouchUp(
        (Patch(),), refine=Refine(model=refiner, hold=1.0, mode=Mode.JOINT, strength=0.0)
    )
    scale = size.width / base.width
    patches = (
        patch_for_face(replace(face, box=face.box.scaled(scale)), size, HAIR, plain.context, 0)
        for face in faces
    )
    return replace(plain, patches=tuple(replace(patch, strength=strength) for patch in patches))
