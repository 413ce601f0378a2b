"""Put the jobs of candidates in their queue."""

from enamel.jobs.queueing import SWATCHES, enqueue
from enamel.touchups.models import Candidate


def enqueue_candidate(candidate: Candidate) -> None:
    """Have a candidate made. The first of every place comes before the second of any."""
    enqueue(
        "touchups.make_candidate", SWATCHES, priority=-candidate.number, candidate_id=candidate.pk
    )
