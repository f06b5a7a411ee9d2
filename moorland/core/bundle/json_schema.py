"""Publishes the JSON Schema of the bundle, generated from its shapes."""

import json
import sys
from pathlib import Path

from moorland.core.bundle.document import Bundle


def bundle_schema() -> str:
    """The JSON Schema as text, the same on every machine."""
    return json.dumps(Bundle.model_json_schema(by_alias=True), indent=1, ensure_ascii=False) + "\n"


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(bundle_schema(), "utf-8")
