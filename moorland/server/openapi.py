"""Writes the OpenAPI document, from which the types of the front end are made."""

import json
import os
import sys
import tempfile
from pathlib import Path
from typing import Any


def openapi_document() -> str:
    """The OpenAPI document as text, the same on every machine."""
    from drf_spectacular.generators import SchemaGenerator

    generator: Any = SchemaGenerator
    document = generator().get_schema(request=None, public=True)
    return json.dumps(document, indent=1, ensure_ascii=False, sort_keys=True) + "\n"


if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "moorland.server.settings")
    os.environ["DATA"] = tempfile.mkdtemp(prefix="moorland-schema-")
    import django

    django.setup()
    Path(sys.argv[1]).write_text(openapi_document(), "utf-8")
