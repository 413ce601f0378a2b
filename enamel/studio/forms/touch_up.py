"""A touch-up of a region."""

from typing import Any

from django import forms

from enamel.core.fire.touchup import TouchUp
from enamel.core.geometry import Size
from enamel.core.schedule import Mode
from enamel.studio.forms.settings import RefineFields, of_setting, shown


class TouchUpForm(RefineFields):
    """A region of a layer, and how it is refined again."""

    x = forms.IntegerField(min_value=0, label="Left")
    y = forms.IntegerField(min_value=0, label="Top")
    width = forms.IntegerField(min_value=16, label="Width")
    height = forms.IntegerField(min_value=16, label="Height")
    feather = of_setting(TouchUp, "feather", label="Feather")
    context = of_setting(TouchUp, "context", label="Context")
    working = of_setting(TouchUp, "working", label="Working size")

    @classmethod
    def starting(cls, start: Size, faces: list[list[int]]) -> dict[str, Any]:
        """Values to begin with: the largest face, or the middle of the picture."""
        x, y, width, height = faces[0] if faces else _middle(start)
        plain = TouchUp()
        return {
            "x": x, "y": y, "width": width, "height": height,
            "feather": min(plain.feather * max(1, round(width / 160)), 1024),
            "context": plain.context, "working": plain.working,
            **shown(plain.refine, RefineFields.base_fields),
        }  # fmt: skip

    def touch_up(self) -> TouchUp:
        """The settings. For a valid form."""
        return self._settings

    def _read(self) -> None:
        given = self.cleaned_data
        self._settings = TouchUp(
            box=(given["x"], given["y"], given["width"], given["height"]),
            feather=given["feather"],
            context=given["context"],
            working=given["working"],
            refine=self.refine(mode=Mode.JOINT),
        )
        self._settings.within(self.start)


def _middle(size: Size) -> tuple[int, int, int, int]:
    width, height = max(16, size.width // 4), max(16, size.height // 4)
    return (size.width - width) // 2, (size.height - height) // 2, width, height
