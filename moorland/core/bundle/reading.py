"""Reading a bundle from a folder or a document, with located errors (bundle.md)."""

import json
import re
from collections import Counter
from pathlib import Path
from types import UnionType
from typing import Annotated, Any, TypeVar, Union, get_args, get_origin

import yaml
from pydantic import BaseModel, ValidationError

from moorland.core.bundle.document import LISTS, Bundle
from moorland.core.bundle.problems import BundleError, Problem, nearest_name
from moorland.core.bundle.structure import check_structure

MAX_FILE_BYTES = 64 * 1024 * 1024
MOST_LEVELS = 60
#: So many values a document with aliases may have once each alias is written out.
MOST_ALIASED = 1_000_000
#: So many faults of shape are told; what follows is counted.
MOST_TOLD = 500


class _CoreLoader(yaml.CSafeLoader):
    """YAML 1.2 core scalars: `on` and `no` are words, dates stay text, as in JSON."""


_CoreLoader.yaml_implicit_resolvers = {}
for _tag, _pattern, _first in (
    ("bool", r"^(?:true|True|TRUE|false|False|FALSE)$", "tTfF"),
    ("null", r"^(?:~|null|Null|NULL|)$", ["~", "n", "N", ""]),
    ("int", r"^[-+]?[0-9]+$", "-+0123456789"),
    ("float", r"^[-+]?(?:\.[0-9]+|[0-9]+(?:\.[0-9]*)?)(?:[eE][-+]?[0-9]+)?$", "-+.0123456789"),
):
    _CoreLoader.add_implicit_resolver(f"tag:yaml.org,2002:{_tag}", re.compile(_pattern), list(_first))


def _integer(loader: _CoreLoader, node: yaml.ScalarNode) -> int:
    return int(str(loader.construct_scalar(node)))


def _mapping(loader: _CoreLoader, node: yaml.MappingNode) -> dict[Any, Any]:
    """A mapping whose keys stand once each."""
    result: dict[Any, Any] = {}
    for key_node, value_node in node.value:
        key = loader.construct_object(key_node, deep=True)
        if not isinstance(key, str | int | float | bool) or key in result:
            raise yaml.constructor.ConstructorError(None, None, f"the key {key!r} stands twice or is not a word", key_node.start_mark)
        result[key if isinstance(key, str) else str(key).lower() if isinstance(key, bool) else str(key)] = loader.construct_object(value_node, deep=True)
    return result


_CoreLoader.add_constructor("tag:yaml.org,2002:int", _integer)
_CoreLoader.add_constructor("tag:yaml.org,2002:map", _mapping)


def parse_text(text: str, file: str) -> Any:
    """The document in YAML or JSON; duplicate keys, deep nesting, and aliases that make a document too large are refused.

    Raises BundleError with the line and column of the trouble.
    """
    try:
        if file.endswith(".json"):
            return json.loads(text, object_pairs_hook=_unique_pairs, parse_constant=_no_constant)
        _check_size(text, file)
        loader = _CoreLoader(text)
        try:
            return loader.get_single_data()
        finally:
            loader.dispose()
    except json.JSONDecodeError as error:
        raise BundleError([Problem("json", f"line {error.lineno}, column {error.colno}: {error.msg}.", file)]) from None
    except yaml.MarkedYAMLError as error:
        marked = error.problem_mark
        place = f"line {marked.line + 1}, column {marked.column + 1}: " if marked else ""
        raise BundleError([Problem("yaml", f"{place}{error.problem}.", file)]) from None
    except yaml.reader.ReaderError as error:
        before = text[: error.position]
        place = f"line {before.count(chr(10)) + 1}, column {error.position - before.rfind(chr(10))}"
        raise BundleError([Problem("yaml", f"{place}: the character U+{_code_point(error.character):04X} is not allowed in YAML.", file)]) from None
    except (yaml.YAMLError, RecursionError, ValueError) as error:
        raise BundleError([Problem("yaml", f"not readable as YAML or JSON: {' '.join(str(error).split())}.", file)]) from None


def _code_point(character: Any) -> int:
    return character if isinstance(character, int) else ord(character)


def _check_size(text: str, file: str) -> None:
    """Raises BundleError where a document nests too deep, refers to itself, or is too large once every alias is written out."""
    sizes: dict[str, tuple[int, int]] = {}
    aliased = False
    #: The collections around the next value: anchor, values inside, deepest level inside.
    around: list[list[Any]] = [[None, 0, 0]]
    for event in yaml.parse(text, Loader=yaml.CSafeLoader):
        if isinstance(event, yaml.CollectionStartEvent):
            around.append([event.anchor, 1, 1])
            size, deep = 0, 1
        elif isinstance(event, yaml.CollectionEndEvent):
            anchor, size, deep = around.pop()
            if anchor:
                sizes[anchor] = (size, deep)
            deep += 1
        elif isinstance(event, yaml.ScalarEvent):
            size, deep = 1, 1
            if event.anchor:
                sizes[event.anchor] = (1, 0)
        elif isinstance(event, yaml.AliasEvent):
            line = event.start_mark.line + 1 if event.start_mark else 0
            if event.anchor not in sizes:
                raise BundleError([Problem("yaml", f"line {line}: the alias {event.anchor} stands inside what it names, or names nothing.", file)])
            (size, deep), aliased = sizes[event.anchor], True
            deep += 1
        else:
            continue
        around[-1][1] += size
        around[-1][2] = max(around[-1][2], deep)
        if len(around) + deep > MOST_LEVELS + 2:
            raise BundleError([Problem("yaml", f"the document is nested deeper than {MOST_LEVELS} levels.", file)])
        if aliased and sum(item[1] for item in around) > MOST_ALIASED:
            raise BundleError([Problem("yaml", f"with every alias written out, the document has more than {MOST_ALIASED:,} values.", file)])


def _unique_pairs(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    result = dict(pairs)
    if len(result) != len(pairs):
        twice = next(key for key, times in Counter(key for key, _ in pairs).items() if times > 1)
        raise ValueError(f"the key {twice!r} stands twice")
    return result


def _no_constant(name: str) -> Any:
    raise ValueError(f"{name} is not a value")


def path_inside(folder: Path, name: str) -> Path:
    """The file `name` below `folder`.

    Raises BundleError where the path leaves the folder, follows a link out of it, or names no file.
    """
    target = (folder / name).resolve()
    if not target.is_relative_to(folder.resolve()):
        raise BundleError([Problem("path", f"{name} lies outside the bundle's folder; paths stay inside it.")])
    if not target.is_file():
        raise BundleError([Problem("path", f"there is no file {name} in the bundle's folder.")])
    return target


def _read_file(folder: Path, name: str) -> Any:
    target = path_inside(folder, name)
    if target.stat().st_size > MAX_FILE_BYTES:
        raise BundleError([Problem("size", f"larger than {MAX_FILE_BYTES // 1024 // 1024} MB.", name)])
    try:
        return parse_text(target.read_text("utf-8-sig"), name)
    except UnicodeDecodeError as error:
        raise BundleError([Problem("encoding", f"not UTF-8 at byte {error.start}.", name)]) from None


Beside = TypeVar("Beside", bound=BaseModel)

#: For each top-level list that stands in files of its own, the file and the path inside it of every item.
Origins = dict[str, list[tuple[str, str]]]


def read_folder(folder: Path) -> Bundle:
    """The bundle in a folder: `bundle.yaml` (or `bundle.json`) and the files it names.

    Raises BundleError with every problem found in shapes and structure.
    """
    return read_folder_located(folder)[0]


def read_folder_located(folder: Path) -> tuple[Bundle, str, Origins]:
    """The bundle in a folder, its main file, and where the items of its lists come from (for `locate`).

    Raises BundleError as `read_folder` does.
    """
    if not folder.is_dir():
        raise BundleError([Problem("path", f"there is no folder {folder}.")])
    main = next((name for name in ("bundle.yaml", "bundle.json") if (folder / name).is_file()), None)
    if main is None:
        raise BundleError([Problem("path", f"there is no bundle.yaml in {folder}.")])
    document = _read_file(folder, main)
    if not isinstance(document, dict):
        raise BundleError([Problem("shape", "a bundle is a mapping that starts with moorland: 1.", main)])
    origins: Origins = {}
    problems: list[Problem] = []
    for key in LISTS:
        names = document.get(key)
        if isinstance(names, str):
            names = [names]
        if not (isinstance(names, list) and names and all(isinstance(name, str) for name in names)):
            continue
        items: list[Any] = []
        places: list[tuple[str, str]] = []
        for name in names:
            try:
                part = _read_file(folder, name)
            except BundleError as error:
                problems += [problem if problem.file else problem.at(key, main) for problem in error.problems]
                continue
            if not isinstance(part, list):
                problems.append(Problem("shape", f"holds {key}, so it must be a list.", name))
                continue
            items += part
            places += [(name, f"[{index}]") for index in range(len(part))]
        document[key] = items
        origins[key] = places
    if problems:
        raise BundleError(problems)
    return read_document(document, main, origins), main, origins


def read_document(document: Any, file: str = "", origins: Origins | None = None) -> Bundle:
    """The bundle in one piece. `origins` tells from which file each item of a top-level list came."""
    places = origins or {}
    try:
        bundle = Bundle.model_validate(document)
    except ValidationError as error:
        raise BundleError(_shape_problems(error, document, file, places)) from None
    structure = check_structure(bundle)
    if structure:
        raise BundleError([locate(problem, file, places) for problem in structure])
    return bundle


def read_beside(folder: Path, name: str, shape: type[Beside]) -> Beside:
    """What stands beside a bundle in a file of its own shape. Raises BundleError as `read_folder` does."""
    document = _read_file(folder, name)
    try:
        return shape.model_validate(document)
    except ValidationError as error:
        raise BundleError(_shape_problems(error, document, name, {}, shape)) from None


def locate(problem: Problem, file: str, origins: Origins) -> Problem:
    """The problem with the file it stands in, and its path inside that file."""
    if problem.file:
        return problem
    key, bracket, rest = problem.path.partition("[")
    if bracket and key in origins:
        index, _, tail = rest.partition("]")
        name, prefix = origins[key][int(index)]
        return problem.at(prefix + tail, name)
    return problem.at(problem.path, file)


def _shape_problems(error: ValidationError, document: Any, file: str, origins: Origins, root: type[BaseModel] = Bundle) -> list[Problem]:
    """Pydantic's errors as located sentences; of a union, the branch that came furthest."""
    by_place: dict[tuple[str, str], list[Any]] = {}
    faults = error.errors(include_url=False, include_input=False)
    for detail in faults[:MOST_TOLD]:
        steps: list[str | int] = []
        value: Any = document
        for step in detail["loc"]:
            if (isinstance(value, dict) and step in value) or (isinstance(value, list) and isinstance(step, int) and step < len(value)):
                value = value[step]  # type: ignore[index]
            elif isinstance(value, dict) and detail["type"] == "missing" and step == detail["loc"][-1]:
                pass
            else:
                continue
            steps.append(step)
        path = "".join(f"[{step}]" if isinstance(step, int) else f".{step}" for step in steps).lstrip(".")
        by_place.setdefault((path, detail["type"]), []).append(detail)
    problems = []
    missing = {path for path, kind in by_place if kind == "missing"}
    for (path, kind), details in by_place.items():
        last = path.rsplit(".", 1)[-1]
        nearest = None
        if kind == "extra_forbidden":
            parent = path[: len(path) - len(last)]
            written = str(details[0]["loc"][-1])
            wanted = nearest_name(written, [name.removeprefix(parent) for name in missing if name.startswith(parent) and "." not in name[len(parent) :]], 0.5)
            missing.discard(f"{parent}{wanted}")
            message, nearest = (
                f"the key {written} is not known here.",
                wanted or nearest_name(written, _known_keys(root, details[0]["loc"][:-1]) - {written}, 0.5),
            )
        elif kind == "missing":
            continue
        else:
            message = "; or: ".join(dict.fromkeys(_plain(detail) for detail in details)) + "."
        problems.append(locate(Problem("shape", message, path=path, nearest=nearest), file, origins))
    if len(faults) > MOST_TOLD:
        problems.append(Problem("shape", f"and {len(faults) - MOST_TOLD:,} more like these.", file))
    # A required key that is only misspelt is one problem, told above.
    found = [locate(Problem("shape", f"{path.rsplit('.', 1)[-1]} is missing.", path=path), file, origins) for path in sorted(missing)]
    return [*problems, *found]


def _plain(detail: Any) -> str:
    message = str(detail["msg"]).removeprefix("Value error, ")
    return message[0].lower() + message[1:]


def _known_keys(root: type[BaseModel], place: tuple[str | int, ...]) -> frozenset[str]:
    """The keys that may stand at a place of a document, by its shapes; of a union, those of every branch the place does not rule out."""
    shapes: list[Any] = [root]
    for step in place:
        inside = [part for shape in shapes for part in _inside(shape, step)]
        named = [shape for shape in shapes if getattr(shape, "__name__", None) == step]
        # A step that is neither key nor index says which branch of a union was tried.
        shapes = inside or named or shapes
    return frozenset(
        field.alias or name for shape in shapes if isinstance(shape, type) and issubclass(shape, BaseModel) for name, field in shape.model_fields.items()
    )


def _inside(shape: Any, step: str | int) -> list[Any]:
    """The shapes that stand under a key, or at an index, of a shape."""
    if isinstance(shape, type) and issubclass(shape, BaseModel):
        fields = [field.annotation for name, field in shape.model_fields.items() if step in (name, field.alias)]
        return [branch for annotation in fields for branch in _branches(annotation)]
    origin, arguments = get_origin(shape), get_args(shape)
    if (origin is list and isinstance(step, int)) or (origin is dict and isinstance(step, str)):
        return _branches(arguments[-1])
    return []


def _branches(annotation: Any) -> list[Any]:
    """The alternatives of an annotation."""
    if get_origin(annotation) is Annotated:
        return _branches(get_args(annotation)[0])
    if get_origin(annotation) in (Union, UnionType):
        return [branch for argument in get_args(annotation) for branch in _branches(argument)]
    return [annotation]
