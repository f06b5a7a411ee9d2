"""First paint of the crowded screens: People with 10,000 users, the map of a model with 60 tables."""

import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from selenium import webdriver
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import WebDriverWait

from benchmarks.in_browser import ARGUMENTS

PEOPLE, TABLES = 10_000, 60


def make(data: Path) -> None:
    """Fills a data folder with the demo, ten thousand more people in groups, and a model of sixty tables."""
    os.environ.update({"DATA": str(data), "MOORLAND_DEMO": "1", "DJANGO_SETTINGS_MODULE": "moorland.server.settings"})
    import django
    from django.core.management import call_command

    django.setup()
    call_command("migrate", verbosity=0, interactive=False)
    from demo.workspace import make_demo
    from moorland.server.catalog.models import Model
    from moorland.server.changes import outdate
    from moorland.server.directory.models import Account, Group, Organization

    make_demo()
    homes = list(Organization.objects.all())
    accounts = [
        Account(login=f"p{number:05}", login_identity=f"p{number:05}", name=f"Person {number}", organization=homes[number % len(homes)], password="!")
        for number in range(PEOPLE)
    ]
    Account.objects.bulk_create(accounts, batch_size=500)
    groups = list(Group.objects.all())
    member = Group.users.through
    keys = Account.objects.filter(login__startswith="p0").values_list("pk", flat=True)
    member.objects.bulk_create([member(group_id=groups[key % len(groups)].pk, account_id=key) for key in keys], batch_size=500, ignore_conflicts=True)
    Model.objects.create(name="wide", document=wide_model(), position=9)
    outdate("people")
    outdate("policy")


def wide_model() -> dict[str, object]:
    """Six lookups of lookups, thirty-four lookups, twenty facts; every fact reads three lookups."""
    columns = [{"name": "id", "type": "integer"}, {"name": "of", "type": "integer"}, {"name": "also", "type": "integer"}, {"name": "third", "type": "integer"}]
    tables = [{"name": f"region_{n:02}", "key": "id", "columns": columns} for n in range(6)]
    tables += [{"name": f"lookup_{n:02}", "key": "id", "columns": columns} for n in range(34)]
    tables += [{"name": f"fact_{n:02}", "columns": columns} for n in range(TABLES - 40)]
    relationships = [{"from": f"lookup_{n:02}.of", "to": f"region_{n:02}.id"} for n in range(6)]
    relationships += [
        {"from": f"fact_{n:02}.{column}", "to": f"lookup_{(n + 11 * place) % 34:02}.id"}
        for n in range(TABLES - 40)
        for place, column in enumerate(("of", "also", "third"))
    ]
    return {"name": "wide", "label": "Sixty tables", "tables": tables, "relationships": relationships}


def crowded_lines() -> list[tuple[str, ...]]:
    """The lines of the table: seconds from the address to the first lines on screen, the median of five visits."""
    data = Path(tempfile.mkdtemp(prefix="moorland-bench-"))
    subprocess.run([sys.executable, "-m", "benchmarks.crowded", str(data)], check=True)
    environment = {**os.environ, "DATA": str(data), "PORT": "8178", "DOOR": "0", "PORTAL": "0"}
    server = subprocess.Popen([sys.executable, "-m", "moorland.cli", "demo"], env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    options = webdriver.ChromeOptions()
    options.binary_location = "/usr/bin/chromium"
    for argument in [*ARGUMENTS.split(), "--window-size=1280,800"]:
        options.add_argument(argument)
    driver = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
    try:
        wait = WebDriverWait(driver, 30, poll_frequency=0.02)
        address = "http://localhost:8178"
        for _ in range(120):
            try:
                driver.get(address)
                wait.until(lambda _: [item for item in driver.find_elements(By.CSS_SELECTOR, ".demo-account") if "h.warden" in item.text])[0].click()
                break
            except Exception:
                time.sleep(0.5)
        wait.until(lambda _: driver.find_elements(By.CSS_SELECTOR, ".rail"))
        driver.execute_script("localStorage.setItem('moorland.h.warden.model', JSON.stringify('wide'))")
        lines = []
        for name, path, selector in (
            (f"first paint of People with {PEOPLE:,} users", "/people", ".person-line"),
            (f"first paint of the map with {TABLES} tables", "/models", ".table-box"),
        ):
            loaded = [_painted(driver, wait, address + path, selector) for _ in range(6)]
            clicked = [_clicked(driver, wait, address, path, selector) for _ in range(6)]
            lines.append((f"{name}, from a click", f"{statistics.median(clicked[1:]):.2f} s", "limit", "0.3 s", "", "under"))
            lines.append((f"{name}, the whole application loaded", f"{statistics.median(loaded[1:]):.2f} s", "limit", "1 s", "", "under"))
        return lines
    finally:
        driver.quit()
        server.terminate()
        server.wait(timeout=20)


#: Looks from within the page, so that looking takes no time of what is looked at.
WATCH = """
(selector => {
  window.__seen = null;
  const watched = new MutationObserver(() => {
    if (!document.querySelector(selector)) return;
    watched.disconnect();
    requestAnimationFrame(() => { window.__seen = performance.now(); });
  });
  watched.observe(document, {subtree: true, childList: true});
})(%s);
"""


def _painted(driver: webdriver.Chrome, wait: WebDriverWait, address: str, selector: str) -> float:
    """Seconds from the address to the first lines on screen."""
    driver.get("about:blank")
    watch = driver.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {"source": WATCH % json.dumps(selector)})
    driver.get(address)
    time.sleep(2)
    driver.execute_cdp_cmd("Page.removeScriptToEvaluateOnNewDocument", watch)
    return float(wait.until(lambda _: driver.execute_script("return window.__seen"))) / 1000


def _clicked(driver: webdriver.Chrome, wait: WebDriverWait, address: str, path: str, selector: str) -> float:
    """Seconds from a click on the rail to the first lines on screen."""
    driver.get(f"{address}/trail")
    wait.until(lambda _: driver.find_elements(By.CSS_SELECTOR, "main h2"))
    # The other screens are fetched once the first has long been there.
    time.sleep(5)
    driver.execute_script(WATCH % json.dumps(selector) + f"window.__pressed = performance.now(); document.querySelector(\".rail a[href='{path}']\").click()")
    time.sleep(1)
    return float(wait.until(lambda _: driver.execute_script("return window.__seen && window.__seen - window.__pressed"))) / 1000


if __name__ == "__main__":
    make(Path(sys.argv[1]))
