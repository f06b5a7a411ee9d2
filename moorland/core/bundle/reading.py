"""Reading a bundle from a folder or a document, with located errors (bundle.md)."""

import functools
import json
import re
from pathlib import Path
from typing import Any

import yaml
from pydantic import ValidationError

from moorland.core.bundle.document import LISTS, Bundle
from moorland.core.bundle.problems import BundleError, Problem, nearest_name
from moorland.core.bundle.structure import check_structure

MAX_FILE_BYTES = 64 * 1024 * 1024


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
    """The document in YAML or JSON; aliases, duplicate keys and deep nesting are refused.

    Raises BundleError with the line and column of the trouble.
    """
    try:
        if file.endswith(".json"):
            return json.loads(text, object_pairs_hook=_unique_pairs, parse_constant=_no_constant)
        depth = 0
        for event in yaml.parse(text, Loader=yaml.CSafeLoader):
            if isinstance(event, yaml.AliasEvent):
                line = event.start_mark.line + 1 if event.start_mark else 0
                raise BundleError([Problem("yaml", f"line {line}: aliases are not used in bundles; write the value out.", file)])
            depth += isinstance(event, yaml.CollectionStartEvent) - isinstance(event, yaml.CollectionEndEvent)
            if depth > 60:
                raise BundleError([Problem("yaml", "the document is nested deeper than 60 levels.", file)])
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
    except (yaml.YAMLError, RecursionError, ValueError) as error:
        raise BundleError([Problem("yaml", f"not readable as YAML or JSON: {error}.", file)]) from None


def _unique_pairs(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    result = dict(pairs)
    if len(result) != len(pairs):
        twice = next(key for index, (key, _) in enumerate(pairs) if key in dict(pairs[:index]))
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


def locate(problem: Problem, file: str, origins: Origins) -> Problem:
    """The problem with the file it stands in, and its path inside that file."""
    key, bracket, rest = problem.path.partition("[")
    if bracket and key in origins:
        index, _, tail = rest.partition("]")
        name, prefix = origins[key][int(index)]
        return problem.at(prefix + tail, name)
    return problem.at(problem.path, file)


def _shape_problems(error: ValidationError, document: Any, file: str, origins: Origins) -> list[Problem]:
    """Pydantic's errors as located sentences; of a union, the branch that came furthest."""
    by_place: dict[tuple[str, str], list[Any]] = {}
    for detail in error.errors(include_url=False):
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
    for (path, kind), details in by_place.items():
        last = path.rsplit(".", 1)[-1]
        if kind == "extra_forbidden":
            message, nearest = f"the key {last} is not known here.", _nearest_key(details[0])
        elif kind == "missing":
            message, nearest = f"{last} is missing.", None
        else:
            message, nearest = "; or: ".join(dict.fromkeys(_plain(detail) for detail in details)) + ".", None
        problems.append(locate(Problem("shape", message, path=path, nearest=nearest), file, origins))
    return problems


def _plain(detail: Any) -> str:
    message = str(detail["msg"]).removeprefix("Value error, ")
    return message[0].lower() + message[1:]


def _nearest_key(detail: Any) -> str | None:
    written = str(detail["loc"][-1])
    return nearest_name(written, sorted(_known_keys() - {written}))


@functools.cache
def _known_keys() -> frozenset[str]:
    return frozenset(name for shape in Bundle.model_json_schema()["$defs"].values() for name in shape.get("properties", {}))
