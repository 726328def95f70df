"""What programs send and get, beside the open documents themselves."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from ninja import Schema
from pydantic import ConfigDict, Field, StringConstraints

from kentrobar.core.io.plans import PLAN_FORMAT, PREDICTION_FORMAT
from kentrobar.core.io.readings import MEASUREMENT_FORMAT, READING_FORMAT
from kentrobar.core.io.schemas import inlined

MOST_KEY = 2**31 - 1
Key = Annotated[int, Field(ge=1, le=MOST_KEY)]


class Described:
    """A part of an open document, told by the document's own schema: made when somebody asks what
    the programs' door takes, for all of them take a second, and a server has no need of them."""

    def __init__(self, form: str, *keys: str) -> None:
        self.form, self.keys = form, keys

    def __get_pydantic_json_schema__(self, _schema: Any, _handler: Any) -> dict[str, Any]:
        part = inlined(self.form)
        for key in self.keys:
            part = part["properties"][key]
        return part.copy()


PlanDocument = Annotated[dict[str, Any], Described(PLAN_FORMAT)]
ReadingDocument = Annotated[dict[str, Any], Described(READING_FORMAT)]
Prediction = Annotated[dict[str, Any], Described(PREDICTION_FORMAT)]
Measurement = Annotated[dict[str, Any], Described(MEASUREMENT_FORMAT)]
Outline = Annotated[dict[str, Any], Described(PLAN_FORMAT, "frame")]
Pieces = Annotated[list[dict[str, Any]], Field(max_length=300), Described(PLAN_FORMAT, "pieces")]
_PLAIN = StringConstraints(strip_whitespace=True, pattern=r"^[^\x00-\x1f\x7f]*$")
Text40 = Annotated[str, _PLAIN, Field(max_length=40)]
Text60 = Annotated[str, _PLAIN, Field(max_length=60)]
Text200 = Annotated[str, _PLAIN, Field(max_length=200)]
ConditionName = Literal["no-grip", "bare", "strung", "as-played"]


class Closed(Schema):
    """Takes no key it does not know: a slip of a name is no wish."""

    model_config = ConfigDict(extra="forbid", strict=True)


class Problem(Schema):
    """Why something is refused: where in what was sent, and why."""

    at: str = ""
    why: str


class PlaceOut(Schema):
    """A place of a frame, by its key here, as a site of a ``kentrobar-brief/1``."""

    key: str
    site: dict[str, Any]


class Figure(Schema):
    """``u`` is one standard uncertainty; a computed figure was read in another condition."""

    value: float
    u: float | None
    axis_mm: float | None = None
    is_computed: bool = False


class FrameOut(Schema):
    id: int
    version: str = Field(description="goes back with a change, so that nothing is lost unseen")
    maker: str
    model: str
    serial: str
    player: str
    note: str
    is_foam: bool
    holes_mm: list[float]
    outline: Outline
    figures: dict[str, dict[str, Figure]] = Field(description="by condition, then by figure")


class FramesOut(Schema):
    count: int
    items: list[FrameOut]


class FrameIn(Closed):
    model: Annotated[Text60, Field(min_length=1)]
    maker: Text60 = ""
    serial: Text40 = ""
    player: Text60 = ""
    note: Text200 = ""
    is_foam: bool = False
    outline: Outline


class FrameChange(Closed):
    """What is left out stays."""

    version: Annotated[str, Field(max_length=2000)]
    model: Annotated[Text60, Field(min_length=1)] | None = None
    maker: Text60 | None = None
    serial: Text40 | None = None
    player: Text60 | None = None
    note: Text200 | None = None
    is_foam: bool | None = None
    outline: Outline | None = None


class ReadingOut(Schema):
    id: int
    quantity: str
    value: float
    u: float | None
    axis_mm: float | None
    condition: str
    method: str
    read_at: datetime
    read_by: str
    document: dict[str, Any] = Field(description="kentrobar-reading/1; empty for a reported figure")


class ReadingIn(Closed):
    document: ReadingDocument
    condition: ConditionName
    read_at: Annotated[datetime, Field(strict=False)] | None = None
    confirmed: bool = Field(False, description="keep it although it is unlikely")


class PlanOut(Schema):
    id: int
    frame: int
    name: str
    version: int
    changed_at: datetime
    document: PlanDocument


class PlanHead(Schema):
    id: int
    frame: int
    name: str
    version: int
    changed_at: datetime


class PlansOut(Schema):
    count: int
    items: list[PlanHead]


class PlanIn(Closed):
    name: Annotated[Text60, Field(min_length=1)]
    document: PlanDocument


class PiecesIn(Closed):
    version: Key
    pieces: Pieces
