"""Pieces, their layers, the firings that make them, and the models at hand."""

from enamel.kiln.models.arrivals import Arrival
from enamel.kiln.models.attendance import Attendance
from enamel.kiln.models.finishes import HouseFinish
from enamel.kiln.models.firings import Firing, TilePreview
from enamel.kiln.models.layers import Layer
from enamel.kiln.models.library import (
    SUBJECTS,
    Model,
    Suited,
    TrialCrop,
    beside,
    offered,
    refiners_offered,
    upscalers_offered,
)
from enamel.kiln.models.mending import Candidate, KeptMask, LaidFile, Mending
from enamel.kiln.models.people import Person
from enamel.kiln.models.pieces import HouseSchedule, Piece, ScheduleStep
from enamel.kiln.models.prints import HouseOutput, PrintFile, ShopOrder
from enamel.kiln.models.swatches import Sheet, Swatch

__all__ = [
    "SUBJECTS",
    "Arrival",
    "Attendance",
    "Candidate",
    "Firing",
    "HouseFinish",
    "HouseOutput",
    "HouseSchedule",
    "KeptMask",
    "LaidFile",
    "Layer",
    "Mending",
    "Model",
    "Person",
    "Piece",
    "PrintFile",
    "ScheduleStep",
    "Sheet",
    "ShopOrder",
    "Suited",
    "Swatch",
    "TilePreview",
    "TrialCrop",
    "beside",
    "offered",
    "refiners_offered",
    "upscalers_offered",
]
