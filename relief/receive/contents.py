"""What `contents.json` of a bundle has to say of each file, checked field by field."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

Finite = Annotated[float, Field(allow_inf_nan=False, ge=-1e12, le=1e12)]
Length = Annotated[float, Field(allow_inf_nan=False, gt=0, le=1e12)]


class _Told(BaseModel):
    """What is said of any file; more may be said than is used."""

    model_config = ConfigDict(extra="allow")

    name: str = Field(min_length=1, max_length=300)
    relief: str = Field("main", max_length=300)
    bits: Literal[8, 16, "half", "float"] | None = None


class _Displacement(_Told):
    amplitude_mm: Finite
    midlevel: Finite


class _Normal(_Told):
    green: Literal["up", "down"]
    red: Literal["right", "left"]
    strength: Finite = 1.0
    of: str = ""


class _Mesh(_Told):
    displaced: bool
    unit: Literal["mm", "cm", "m", "in"]
    tile: bool = False
    faces: int = Field(0, ge=0, le=10**12)


class _Relief(BaseModel):
    """What is said of a relief."""

    model_config = ConfigDict(extra="allow")

    footprint_mm: tuple[Length, Length]


KINDS: dict[str, type[_Told]] = {"displacement": _Displacement, "normal": _Normal, "mesh": _Mesh}


def read_contents(told: Any) -> tuple[dict[str, Any], list[str]]:
    """What can be used of the contents, and in sentences what cannot.

    Args:
        told: as JSON data.

    Raises:
        ValueError: nothing of it can be used.
    """
    if not (isinstance(told, dict) and isinstance(told.get("files"), list) and isinstance(told.get("reliefs"), dict)):
        raise ValueError
    faults: list[str] = []
    reliefs = {}
    for key, said in told["reliefs"].items():
        known = _check(_Relief, said, f"the relief “{key[:60]}”", faults)
        if known is not None:
            reliefs[key] = known
    files = []
    for said in told["files"]:
        name = said.get("name") if isinstance(said, dict) else None
        kind = said.get("kind") if isinstance(said, dict) else None
        model = KINDS.get(kind, _Told) if isinstance(kind, str) else _Told
        known = _check(model, said, name[:120] if isinstance(name, str) else "a file without a name", faults)
        if known is not None:
            files.append(known)
    if not reliefs or not (files or faults):
        raise ValueError
    return {**told, "files": files, "reliefs": reliefs}, faults


def _check(model: type[BaseModel], said: Any, what: str, faults: list[str]) -> dict[str, Any] | None:
    try:
        return model.model_validate(said).model_dump()
    except (ValidationError, TypeError) as problem:
        fields = (
            {str(error["loc"][0]) for error in problem.errors() if error["loc"]}
            if hasattr(problem, "errors")
            else set()
        )
        missing = f" ({', '.join(sorted(fields))})" if fields else ""
        faults.append(f"contents.json does not say how {what} is to be read: a value is missing or wrong{missing}.")
        return None
