"""What `board` does: it writes the page to hand round, and says where."""

from veridex.cli.desk import desk_for
from veridex.exchange.missing import refuse_missing
from veridex.job.boarding import handed_round
from veridex.job.requests import Boarding

__all__ = ["run_board"]


def run_board(boarding: Boarding) -> None:
    """Make the board of a publication or a trial."""
    for place in (boarding.source, boarding.trial, *boarding.earlier):
        if place is not None:
            refuse_missing(place)
    handed_round(boarding, desk_for(boarding))
