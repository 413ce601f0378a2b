"""What artists fill in. Ranges and sentences come from core; a form only reads and shows them."""

from enamel.studio.forms.base import BaseForm
from enamel.studio.forms.batch import BatchForm
from enamel.studio.forms.bureau import LimitForm
from enamel.studio.forms.coat import CoatForm
from enamel.studio.forms.finish import FinishForm
from enamel.studio.forms.inlay import InlayForm
from enamel.studio.forms.library import ModelForm, SuitedForm
from enamel.studio.forms.prints import (
    PrintFileForm,
    PrintForm,
    ProofForm,
    ShopForm,
    StripForm,
)
from enamel.studio.forms.sheet import SheetForm
from enamel.studio.forms.touch_up import TouchUpForm

__all__ = [
    "BaseForm",
    "BatchForm",
    "CoatForm",
    "FinishForm",
    "InlayForm",
    "LimitForm",
    "ModelForm",
    "PrintFileForm",
    "PrintForm",
    "ProofForm",
    "SheetForm",
    "ShopForm",
    "StripForm",
    "SuitedForm",
    "TouchUpForm",
]
