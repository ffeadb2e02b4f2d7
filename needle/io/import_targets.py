"""Where moves from a file land in a session: whose they are by what they call themselves, and how they fit there."""

from collections.abc import Iterable
from dataclasses import replace

from needle.automation.curve import Lane
from needle.automation.edits import MOST_POINTS
from needle.automation.thinning import thinned
from needle.errors import NeedleError
from needle.io.lanes import FoundLane
from needle.session.owners import (
    accepts,
    check_moves,
    kind_and_id,
    named,
    owned_parameter,
    owners_in,
    placement_parameters,
)
from needle.session.validation import Document, check_lane

Place = tuple[str, str]
"""What a lane belongs to (an owner), and the parameter."""


def landing_places(lanes: Iterable[FoundLane], document: Document) -> list[Place | None]:
    """Where each lane lands: on the owner of its id, else of its name; None where neither tells. No two on one."""
    occupied: set[Place] = set()
    result = []
    for lane in lanes:
        fitting = (
            (owner, parameter)
            for owner in _called(lane, document)
            for parameter in _fitting(lane.parameter, owner, document)
            if (owner, parameter) not in occupied and accepts(document, owner, parameter)
        )
        place = next(fitting, None)
        if place:
            occupied.add(place)
        result.append(place)
    return result


def _called(lane: FoundLane, document: Document) -> list[str]:
    owners = owners_in(document)
    if lane.owner in owners:
        return [lane.owner]
    label = (lane.name or lane.owner).strip().casefold()
    return [owner for owner in owners if label and named(document, owner).strip().casefold() == label]


def _fitting(parameter: str, owner: str, document: Document) -> list[str]:
    """The parameter itself; for a place without a side, what tells the place of a source panned as it is."""
    if parameter in ("", "pan") and kind_and_id(owner)[0] == "source":
        return [name for name in placement_parameters(document["sources"][owner]["mode"]) if name.startswith("pan")]
    return [parameter or "pan"]


def landed(document: Document, place: Place, lane: Lane, at: float = 0.0) -> Lane:
    """A lane as it lands on a place ``at`` seconds later, thinned to as many points as a lane holds.

    NeedleError if it would move nothing there, or has values that the parameter cannot have.
    """
    owner, parameter = place
    check_moves(document, owner, parameter)
    if len(lane.points) > MOST_POINTS:
        lane = Lane(thinned(lane.points, owned_parameter(owner, parameter).grain))
    if len(lane.points) > MOST_POINTS:
        raise NeedleError("moves.too_many_points", most=MOST_POINTS, count=len(lane.points))
    later = Lane(tuple(replace(point, t=point.t + at) for point in lane.points))
    try:
        return check_lane(parameter, later)
    except NeedleError as error:
        raise NeedleError("moves.named", name=named(document, owner), reason=error) from error
