"""Writing a bundle: the same bundle always gives the same text (bundle.md)."""

import hashlib
import json
from pathlib import Path
from typing import Any

import yaml
from pydantic import BaseModel

from moorland.core.bundle.document import LISTS, Bundle


def to_plain(shape: BaseModel) -> dict[str, Any]:
    """The shape as JSON values under its written names, defaults left out."""
    plain: dict[str, Any] = shape.model_dump(mode="json", by_alias=True, exclude_defaults=True)
    return plain


def canonical_json(document: Any) -> str:
    """JSON with sorted keys and no spaces: equal documents give equal text."""
    return json.dumps(document, sort_keys=True, separators=(",", ":"), ensure_ascii=False)


def content_hash(document: Any) -> str:
    """SHA-256 of the canonical JSON, in hexadecimal."""
    return hashlib.sha256(canonical_json(document).encode()).hexdigest()


def write_folder(bundle: Bundle, folder: Path) -> None:
    """`bundle.yaml` with a file for each list that has items; data files are not touched."""
    folder.mkdir(parents=True, exist_ok=True)
    plain = to_plain(bundle)
    head: dict[str, Any] = {"moorland": 1, "name": bundle.name, "time_zone": bundle.time_zone}
    head |= {key: value for key, value in plain.items() if key not in (*head, *LISTS)}
    for key in LISTS:
        if plain.get(key):
            head[key] = f"{key}.yaml"
            _write_yaml(folder / f"{key}.yaml", plain[key])
    _write_yaml(folder / "bundle.yaml", head)


def _write_yaml(path: Path, value: Any) -> None:
    path.write_text(yaml.safe_dump(value, sort_keys=False, allow_unicode=True, width=140), "utf-8")
