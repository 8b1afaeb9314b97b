"""Documents whose fields had other names before, and documents that name others."""

from collections.abc import Iterator
from typing import Any, get_args

from pydantic import BaseModel

from oak_sled.core.base.document import Frozen, joined, was


def renamed_data(model: type[Frozen], data: Any) -> Any:
    """The data of a document of an older format with the names that its fields have now; see `Frozen.WAS`. What is not
    there or not right is left as it is, and is refused by the validation that follows."""
    if not isinstance(data, dict):
        return data
    found = {}
    for name, value in data.items():
        now = was(model).get(name, name)
        if now != name and now in data:
            now = name  # both are there: the validation says so
        field = model.model_fields.get(now)
        found[now] = _renamed_field(field.annotation, value) if field is not None else value
    return found


def _renamed_field(of: Any, value: Any) -> Any:
    """The value of a field with present names, where it is a document, one of several kinds, or a list of such."""
    if isinstance(value, list):
        inner = next((one for one in get_args(of) if one is not Ellipsis), None)
        return [_renamed_field(inner, one) for one in value] if inner is not None else value
    model = model_for(of, value)
    return value if model is None else renamed_data(model, value)


def model_for(of: Any, value: Any) -> type[Frozen] | None:
    """The model that a value is of, by the annotation of its field: a model, an optional one, or one of several that
    are told apart by their `kind`."""
    kinds = [one for one in _models(of) if "kind" in one.model_fields] or _models(of)
    if len(kinds) < 2:
        return kinds[0] if kinds else None
    tag = value.get("kind") if isinstance(value, dict) else None
    return next((one for one in kinds if one.model_fields["kind"].default == tag), None)


def _models(of: Any) -> list[type[Frozen]]:
    if isinstance(of, type) and issubclass(of, Frozen):
        return [of]
    return [model for one in get_args(of) for model in _models(one)]


def renamed_path(model: type[Frozen], data: Any, path: str) -> str:
    """A path below the data of a document, in which every field has the name that it has now."""
    pieces: list[str] = []
    of: Any = model
    for piece in path.split("."):
        if isinstance(data, list):
            inner = next((one for one in get_args(of) if one is not Ellipsis), None)
            data = next((one for one in data if isinstance(one, dict) and one.get("id") == piece), None)
            of = model_for(inner, data)
            pieces.append(piece)
            continue
        known = of if isinstance(of, type) and issubclass(of, Frozen) else model_for(of, data)
        now = was(known).get(piece, piece) if known is not None else piece
        field = known.model_fields.get(now) if known is not None else None
        of = field.annotation if field is not None else None
        data = data.get(piece, data.get(now)) if isinstance(data, dict) else None
        pieces.append(now)
    return ".".join(pieces)


def references(document: Any, what: str, path: str = "") -> Iterator[tuple[str, BaseModel, str]]:
    """Every field below `document` that holds names of `what` (see `reference`), as (path, owner, field)."""
    if isinstance(document, tuple):
        for position, item in enumerate(document):
            yield from references(item, what, joined(path, getattr(item, "id", str(position))))
    elif isinstance(document, BaseModel):
        for name, field in type(document).model_fields.items():
            extra = field.json_schema_extra
            if isinstance(extra, dict) and extra.get("names") == what:
                yield joined(path, name), document, name
            yield from references(getattr(document, name), what, joined(path, name))
