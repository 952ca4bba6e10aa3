"""What all documents are."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

Value = bool | int | float | str | None


class Document(BaseModel):
    model_config = ConfigDict(extra="forbid")


class Failure(Document):
    error: str
