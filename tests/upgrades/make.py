"""Makes a small workspace with the version that is checked out, to be opened by later ones: `python tests/upgrades/make.py FOLDER`.

It is run once for each version that is released, with that version's code (PYTHONPATH), and kept as NAME.tar.gz with the answers it gave.
"""

import json
import os
import sys
import tempfile
from pathlib import Path
from typing import Any

ASKED = [
    {"rows": {"model": "m", "table": "site", "columns": ["id", "area"], "order": ["id"]}},
    {"totals": {"model": "m", "by": ["site.area"], "measures": ["energy", "rent"]}},
    {"pages": {}},
]


def answers() -> dict[str, Any]:
    """What everybody is answered, of what is live."""
    from moorland.core.engine.many_viewers import everyones_answers
    from moorland.core.engine.questions import Questions
    from moorland.server.evaluating import evaluator

    base = evaluator("live")
    asked = Questions.model_validate_json(json.dumps({"viewers": "everyone", "ask": ASKED})).ask
    return {login: [answer.model_dump(mode="json") for answer in given] for logins, given in everyones_answers(base, asked) for login in logins}


def main(folder: Path) -> None:
    """Fills the folder, and tells what it answers."""
    os.environ.update(DATA=str(folder), DJANGO_SETTINGS_MODULE="moorland.server.settings")
    import django
    from django.core.management import call_command

    django.setup()
    call_command("migrate", verbosity=0)
    from moorland.server.setup import fill_workspace

    bundle = Path(tempfile.mkdtemp())
    (bundle / "bundle.yaml").write_text((Path(__file__).parent / "bundle.yaml").read_text())
    (bundle / "site.csv").write_text("id,area,rent\n1,fell,10\n2,marsh,20\n3,fell,30\n")
    (bundle / "run.csv").write_text("site_id,kwh\n1,100\n2,200\n3,400\n9,800\n")
    fill_workspace(bundle, {"boss"}, "a long password", {"boss", "ann"})
    (folder / "answers.json").write_text(json.dumps(answers(), indent=1, sort_keys=True))


if __name__ == "__main__":
    main(Path(sys.argv[1]))
