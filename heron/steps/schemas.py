"""What schemas say of the fields of steps: annotations, defaults, values by path."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from types import MappingProxyType, UnionType
from typing import Annotated, Any, Union, get_args, get_origin

from pydantic_core import PydanticUndefined

from heron.steps.fields import ByName, Step

Path = tuple[str | int, ...]


MISSING = PydanticUndefined


def bare_of(annotation: Any) -> tuple[Any, list[Any]]:
    """An annotation without metadata and None, and the metadata."""
    found: list[Any] = []
    while True:
        if get_origin(annotation) is Annotated:
            annotation, *more = get_args(annotation)
            found += more
        elif get_origin(annotation) in (Union, UnionType):
            annotation = next(a for a in get_args(annotation) if a is not type(None))
        else:
            return annotation, found


def schema_of(annotation: Any) -> type[Step] | None:
    """The schema that an annotation stands for, if it is one."""
    bare, _ = bare_of(annotation)
    return bare if isinstance(bare, type) and issubclass(bare, Step) else None


def annotation_at(annotation: Any, path: Path) -> Any:
    """The annotation of a member of a schema, tuple or list.

    :raises KeyError: when there is none.
    """
    for key in path:
        bare, metadata = bare_of(annotation)
        by_name = next((m for m in metadata if isinstance(m, ByName)), None)
        if by_name is not None:
            annotation = by_name.schemas()[str(key)]
        elif isinstance(bare, type) and issubclass(bare, Step):
            info = bare.model_fields[str(key)]
            annotation = (
                Annotated[info.annotation, *info.metadata] if info.metadata else info.annotation
            )
        elif get_origin(bare) is tuple:
            annotation = get_args(bare)[int(key)]
        elif get_origin(bare) is list:
            annotation = get_args(bare)[0]
        else:
            raise KeyError(key)
    return annotation


def default_at(annotation: Any, path: Path) -> Any:
    """The default at a path as JSON gives it, ``MISSING`` where there is none."""
    if not path:
        return MISSING
    bare, metadata = bare_of(annotation)
    if any(isinstance(m, ByName) for m in metadata):
        return default_at(annotation_at(annotation, path[:1]), path[1:])
    if not (isinstance(bare, type) and issubclass(bare, Step)):
        return MISSING
    value = bare.model_fields[str(path[0])].get_default(call_default_factory=True)
    found = value_at(plain(value), path[1:])
    return default_at(annotation_at(bare, path[:1]), path[1:]) if found is MISSING else found


def plain(value: Any) -> Any:
    """A value as JSON has it."""
    if isinstance(value, Step):
        return {k: plain(v) for k, v in value}
    if isinstance(value, Mapping):
        return {k: plain(v) for k, v in value.items()}
    if isinstance(value, (list, tuple)):
        return [plain(v) for v in value]
    return value


def value_at(value: Any, path: Path) -> Any:
    """The member at a path, ``None`` where there is none."""
    for key in path:
        try:
            value = value[key]
        except (KeyError, IndexError, TypeError):
            return MISSING
    return value


def leaves(value: Any, annotation: Any, path: Path = ()) -> Iterator[tuple[Path, Any, Any]]:
    """(path, value, default) of every field, members of lists and schemas apart."""
    bare, metadata = bare_of(annotation)
    by_name = next((m for m in metadata if isinstance(m, ByName)), None)
    if by_name is not None and isinstance(value, Mapping):
        for name, own in value.items():
            yield from leaves(own, by_name.schemas()[name], (*path, name))
    elif isinstance(bare, type) and issubclass(bare, Step) and isinstance(value, Mapping):
        for name in bare.model_fields:
            default = default_at(bare, (name,))
            own = value.get(name, default)
            inner = annotation_at(bare, (name,))
            nested = list(leaves(own, inner, (*path, name)))
            if (default is not MISSING and own == default) or not nested:
                yield (*path, name), own, default
            else:
                yield from nested
    elif get_origin(bare) is list and isinstance(value, list) and value:
        for k, member in enumerate(value):
            yield from leaves(member, get_args(bare)[0], (*path, k))
    elif path:
        yield path, value, MISSING


def value_of(step: Any, path: Path, schema: Any) -> Any:
    """The value at a path, or its default where it is left out."""
    found = value_at(step, path)
    return default_at(schema, path) if found is MISSING and path else found


def same(read: Mapping[str, Any], step: Mapping[str, Any], schema: type[Step]) -> bool:
    """Whether what was read is the step, defaults counted."""
    left, right = (
        {k: plain_full(v, annotation_at(schema, (k,))) for k, v in d.items()} for d in (read, step)
    )
    names = [n for n in schema.model_fields if n != "kind"]
    return all(
        left.get(n, default_at(schema, (n,))) == right.get(n, default_at(schema, (n,)))
        for n in names
    )


def plain_full(value: Any, annotation: Any) -> Any:
    """A JSON value with the defaults of nested schemas."""
    bare, metadata = bare_of(annotation)
    by_name = next((m for m in metadata if isinstance(m, ByName)), None)
    if by_name is not None and isinstance(value, Mapping):
        return {n: plain_full(value.get(n, {}), s) for n, s in by_name.schemas().items()}
    if isinstance(bare, type) and issubclass(bare, Step) and isinstance(value, Mapping):
        return {
            n: plain_full(value[n], annotation_at(bare, (n,)))
            if n in value
            else plain_full(default_at(bare, (n,)), annotation_at(bare, (n,)))
            for n in bare.model_fields
        }
    if get_origin(bare) is list and isinstance(value, list):
        return [plain_full(v, get_args(bare)[0]) for v in value]
    return plain(value)


def assembled(
    found: Mapping[Path, Any], schema: Any, present: Mapping[str, Any] = MappingProxyType({})
) -> dict[str, Any]:
    """Values by path as a nested step; what is not named of a tuple is as in the ``present`` step,
    else has its default.
    """
    out: dict[str, Any] = {}
    for path, value in found.items():
        into: Any = out
        annotation: Any = schema
        for k, key in enumerate(path[:-1]):
            annotation = annotation_at(annotation, (key,))
            bare, _ = bare_of(annotation)
            start: Any = {}
            if get_origin(bare) is tuple:
                known = value_at(present, path[: k + 1])
                known = default_at(schema, path[: k + 1]) if known is MISSING else known
                start = list(known) if isinstance(known, list) else ["0"] * len(get_args(bare))
            elif get_origin(bare) is list:
                start = []
            if isinstance(into, list):
                while len(into) <= int(key):
                    into.append(start)
                into = into[int(key)]
            else:
                into = into.setdefault(str(key), start)
        if isinstance(into, list):
            while len(into) <= int(path[-1]):
                into.append(None)
            into[int(path[-1])] = value
        else:
            into[str(path[-1])] = value
    return out
