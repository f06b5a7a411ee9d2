"""For the manual: scripts that stand in its pages become files, as the server lets none run that stands in a page."""

import hashlib
import re
from pathlib import Path
from typing import Any


def on_post_page(output: str, page: Any, config: Any) -> str:
    """The page with its scripts beside it."""

    def outside(match: re.Match[str]) -> str:
        text = match.group(1)
        name = f"js/of-page-{hashlib.sha256(text.encode()).hexdigest()[:12]}.js"
        file = Path(config["site_dir"]) / name
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_text(text)
        return f'<script src="{"../" * page.url.count("/")}{name}"></script>'

    return re.sub(r"<script>(.*?)</script>", outside, output, flags=re.DOTALL)
