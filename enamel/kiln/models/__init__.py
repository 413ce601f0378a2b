"""Pieces, their layers, the firings that make them, and the models at hand."""

from enamel.kiln.models.arrivals import Arrival
from enamel.kiln.models.batches import Batch, BatchItem
from enamel.kiln.models.bureau import SentCoat, SpendingLimit
from enamel.kiln.models.finishes import HouseFinish
from enamel.kiln.models.firings import Firing, TilePreview
from enamel.kiln.models.layers import Layer
from enamel.kiln.models.library import (
    SUBJECTS,
    Model,
    Suited,
    SuitedModels,
    TrialCrop,
    offered,
)
from enamel.kiln.models.mending import Candidate, KeptMask, LaidFile, Mending
from enamel.kiln.models.people import Person
from enamel.kiln.models.pieces import HouseSchedule, Piece, ScheduleStep
from enamel.kiln.models.prints import HouseOutput, PrintFile, ShopOrder
from enamel.kiln.models.services import ServiceAnswer
from enamel.kiln.models.swatches import Sheet, Swatch
from enamel.kiln.models.timings import Timing
from enamel.kiln.models.workers import Worker

__all__ = [
    "SUBJECTS",
    "Arrival",
    "Batch",
    "BatchItem",
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
    "SentCoat",
    "ServiceAnswer",
    "Sheet",
    "ShopOrder",
    "SpendingLimit",
    "Suited",
    "SuitedModels",
    "Swatch",
    "TilePreview",
    "Timing",
    "TrialCrop",
    "Worker",
    "offered",
]
