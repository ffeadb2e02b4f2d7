"""Things as they are sent and stored: points, sources, groups, returns with their effects, sends."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, create_model

from needle.automation.curve import MAX_TIME
from needle.automation.parameters import TRIM_DB, defaults_of
from needle.autopan.pulse import LARGEST_SEED, Pulse
from needle.dsp.fractional_delay import LONGEST_MS, SHORTEST_MS
from needle.dsp.pan_modes import MOST_INPUTS
from needle.session.validation import DOUBLE_LATEST_MS, SOURCE_COLOURS
from needle.units import OFF_DB
from server.mixsessions.fields import Finite, Gain, Key, Level, Name, Order, Pan, limited

Time = Annotated[float, Field(ge=0.0, le=MAX_TIME, allow_inf_nan=False)]
Beat = Annotated[Finite, Field(ge=0.0, le=1e6)]
ColourIndex = Annotated[int, Field(ge=0, lt=SOURCE_COLOURS)]
Word = Annotated[str, Field(max_length=24, pattern=r"^[\w-]+$")]
Milliseconds = Annotated[float, Field(ge=SHORTEST_MS, le=LONGEST_MS, allow_inf_nan=False)]
DoubleDelay = Annotated[float, Field(ge=0.0, le=DOUBLE_LATEST_MS, allow_inf_nan=False)]
Trim = Annotated[float, Field(ge=TRIM_DB[0], le=TRIM_DB[1], allow_inf_nan=False)]
Share = Annotated[float, Field(ge=0.0, le=1.0, allow_inf_nan=False)]
Seed = Annotated[int, Field(ge=0, le=LARGEST_SEED)]
GroupKey = Annotated[str, Field(max_length=64, pattern=r"^[\w-]*$")]
SendPlace = Literal["same", "opposite", "own"]


InRoom = Annotated[float, Field(ge=-1.0, le=1.0, allow_inf_nan=False)]
SpeakerName = Annotated[str, Field(max_length=8, pattern=r"^[A-Z0-9+-]+$")]


class Stored(BaseModel):
    """Base of what is stored: nothing else may be in it, and nothing changes it."""

    model_config = ConfigDict(extra="forbid", frozen=True)


def stored_values(kind: str) -> type[Stored]:
    """The base of a kind of thing (``needle.automation.parameters``): its parameters, with limits and defaults."""
    fields = {name: (limited(name), value) for name, value in defaults_of(kind).items()}
    return create_model(f"{kind.title()}Values", __base__=Stored, **fields)


class StoredPoint(Stored):
    """A point of a lane: time (s), value, the shape on to the next point and its tension (-1…1).

    Of an *ease* that was cut only the part from ``shape_start`` to ``shape_end`` (0…1) is used.
    """

    t: Time
    value: Finite
    shape: Literal["hold", "straight", "ease", "curve"] = "straight"
    tension: Annotated[float, Field(ge=-1.0, le=1.0, allow_inf_nan=False)] = 0.0
    shape_start: Share = 0.0
    shape_end: Share = 1.0


class StoredSource(stored_values("source")):
    """A source with all its static values. It takes ``channels`` of its asset from ``first_channel`` (0) on."""

    id: Key
    name: Name
    colour: ColourIndex
    order: Order
    asset: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
    channels: Annotated[int, Field(ge=1, le=MOST_INPUTS)]
    first_channel: Annotated[int, Field(ge=0, lt=MOST_INPUTS)] = 0
    seconds: Time = 0.0
    start: Time
    gain: Gain
    muted: bool
    group: GroupKey = ""
    mode: Word
    swap_channels: bool = False
    invert_left: bool = False
    invert_right: bool = False
    delay_panning: Word = "off"
    delay_panning_ms: Milliseconds = 0.7
    level_share: Share = 0.0
    double: bool = False
    double_ms: DoubleDelay = 0.0
    double_trim: Trim = 0.0
    snap: bool = False
    direct_muted: bool = False
    frozen_asset: Annotated[str, Field(pattern=r"^([0-9a-f]{64})?$")] = ""
    frozen_fingerprint: Annotated[str, Field(max_length=64, pattern=r"^[0-9a-f]*$")] = ""


class StoredGroup(stored_values("group")):
    """A group of sources: its level, and how far it shifts its members' places."""

    id: Key
    name: Name
    order: Order = 0
    muted: bool = False
    shift: Pan = 0.0


class StoredEffect(Stored):
    """One effect of a return; ``settings`` as its kind has them."""

    id: Key
    kind: Word
    on: bool = True
    settings: dict[str, float | str] = {}


class StoredReturn(stored_values("return")):
    """A return: its effects in order, its level, balance and width."""

    id: Key
    name: Name
    colour: ColourIndex = 0
    order: Order = 0
    muted: bool = False
    effects: list[StoredEffect] = []


class StoredLayer(stored_values("layer")):
    """A layer under a source: what it takes, its effects in order, its place in the room, its level."""

    id: Key
    source: Key
    name: Name
    order: Order = 0
    input: Literal["source", "previous"] = "source"
    pre: bool = False
    effects: list[StoredEffect] = []
    muted: bool = False


class StoredRoute(Stored):
    """Which loudspeakers a source may sound from, and how strong (``needle.mix.speaker_routing``)."""

    off: Annotated[list[SpeakerName], Field(max_length=32)] = []
    levels: dict[Word, Level] = {}
    direct: Level = 0.0
    ambient: Level = 0.0


class StoredRouting(Stored):
    """The routes of a source to the loudspeakers: always (""), and in passages by their ids; ``id`` is the source."""

    id: Key
    routes: dict[str, StoredRoute]


class StoredRoom(stored_values("room")):
    """The whole room: how far it is turned (degrees to the left)."""

    id: Key
    name: Name


class StoredSend(stored_values("send")):
    """What a source gives to a return, tapped before or after its level, and where it stands in it."""

    id: Annotated[str, Field(max_length=130)]
    source: Key
    to: Annotated[Key, Field(alias="return")]
    pre: bool = False
    place: SendPlace = "same"


class BeforeConversion(Stored):
    """What was there before a pulse became points: lanes by their keys, those switched off, and static values."""

    lanes: dict[Annotated[str, Field(max_length=200)], list[StoredPoint]] = {}
    off: list[Annotated[str, Field(max_length=200)]] = []
    values: dict[Word, float | str] = {}


class StoredPulse(Stored):
    """A pulse, whose limits the core knows (``needle.autopan.pulse``); ``id`` is what it moves."""

    id: Annotated[str, Field(max_length=140)]
    on: bool = True
    form: Word = "level"
    wave: Word = "sine"
    unit: Word = "beats"
    period: Finite = 1.0
    rate: Finite = 1.0
    origin: Finite = 0.0
    start_phase: Finite = 0.0
    duty: Finite = 0.5
    steps: list[Pan] = list(Pulse().steps)
    seed: Seed = 1
    glide: bool = False
    smooth: Finite = 0.0
    flip: bool = False
    depth: Finite = 1.0
    offset: Finite = 180.0
    constant_power: bool = False
    before_conversion: BeforeConversion = BeforeConversion()


class StoredPlace(Stored):
    """A place of a deal, whose limits the core knows (``needle.dealing.deal``)."""

    id: Key
    pan: Pan = 0.0
    level: Level = 0.0
    low_pass: Finite = 0.0
    length: Finite = 1.0
    transpose: Finite = 0.0
    repeat_interval: Finite = 0.5
    repeats: Annotated[int, Field(ge=1, le=16)] = 1
    fade: Finite = 3.0
    release: Annotated[float, Field(allow_inf_nan=False, exclude_if=lambda value: value == 0.0)] = 0.0
    front: Annotated[Finite | None, Field(exclude_if=lambda value: value is None)] = None
    height: Annotated[Finite | None, Field(exclude_if=lambda value: value is None)] = None


class StoredDeal(Stored):
    """How a source's part is dealt; ``id`` is the source."""

    id: Key
    on: bool = True
    order: Word = "in-turn"
    seed: Seed = 1
    sound: Word = "stem"
    timbre: Word = "glass"
    dry: Level = OFF_DB
    places: list[StoredPlace] = []


EventItem = tuple[Finite, Finite, Finite, Finite]
"""When, how long, pitch and velocity (0…1): notes in beats, onsets in seconds of the stem."""


class StoredEvents(Stored):
    """What a source's part consists of; ``id`` is the source, ``name`` the file that notes came from."""

    id: Key
    kind: Literal["notes", "onsets"]
    name: Annotated[str, Field(max_length=120)] = ""
    items: list[EventItem]


class StoredPassage(Stored):
    """A named stretch (in beats)."""

    id: Key
    name: Name
    start: Beat
    end: Beat
