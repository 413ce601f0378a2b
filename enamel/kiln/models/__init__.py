"""Pieces, their layers, the firings that make them, and the available models."""

from enamel.kiln.models.arrivals import Arrival
from enamel.kiln.models.batches import Batch, BatchItem
from enamel.kiln.models.bureau import SentCoat, SpendingLimit
from enamel.kiln.models.finishes import FinishPreset
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
from enamel.kiln.models.pieces import Piece, SchedulePreset, ScheduleStep
from enamel.kiln.models.prints import OutputPreset, PrintFile, ShopOrder
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
    "FinishPreset",
    "Firing",
    "KeptMask",
    "LaidFile",
    "Layer",
    "Mending",
    "Model",
    "OutputPreset",
    "Person",
    "Piece",
    "PrintFile",
    "SchedulePreset",
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
