"""A real server on the demo, real browsers in front of it, and the core beside them to say what must be seen."""

import contextlib
import os
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
import requests
from selenium import webdriver
from selenium.common.exceptions import (
    ElementClickInterceptedException,
    ElementNotInteractableException,
    StaleElementReferenceException,
    TimeoutException,
)
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import WebDriverWait

from demo.bundle import generate
from moorland.core.bundle.reading import read_folder
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Question
from moorland.core.sources.files import folder_loader
from tests.demo_data import put_demo

CHROMIUM = [
    "--headless=new",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--force-prefers-reduced-motion",
    "--window-size=1280,800",
]
ROOT = Path(__file__).parents[2]


#: These write roles and pages all the time, and have a server of their own, beside that of the others.
WRITING = ("test_bench.py", "test_pages.py", "test_own_pages.py")


@contextlib.contextmanager
def served(command: str, data: Path, door: int = 0, portal: int = 0) -> Iterator[tuple[str, Path]]:
    """The address of a server on a data folder of its own, and the file its output goes to; with a query door and a portal where they have ports."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    environment = {
        **os.environ,
        "DOOR": str(door),
        "PORTAL": str(portal),
        "DATA": str(data),
        "PORT": str(port),
        "DJANGO_SETTINGS_MODULE": "moorland.server.settings",
        "COLUMNS": "200",
    }
    environment.pop("MOORLAND_DEMO", None)
    if command == "demo":
        put_demo(data)
    path = data / "server.log"
    log = path.open("w")
    server = subprocess.Popen([sys.executable, "-m", "moorland.cli", command], cwd=ROOT, env=environment, stdout=log, stderr=log)
    found = f"http://localhost:{port}"
    try:
        for _ in range(120):
            with contextlib.suppress(OSError), urllib.request.urlopen(f"{found}/api/session"):
                break
            assert server.poll() is None, path.read_text()
            time.sleep(0.5)
        yield found, path
    finally:
        server.send_signal(signal.SIGINT)
        server.wait(timeout=20)


@pytest.fixture(scope="session")
def servers(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Callable[[str], str]]:
    """The address of a server that serves a fresh demo, one for each name."""
    with contextlib.ExitStack() as running:
        found: dict[str, str] = {}

        def server(name: str) -> str:
            if name not in found:
                found[name] = running.enter_context(served("demo", tmp_path_factory.mktemp("data")))[0]
            return found[name]

        yield server


@pytest.fixture
def address(servers: Callable[[str], str], request: pytest.FixtureRequest) -> str:
    """The address of the server a test shares with those of its kind."""
    return servers("writing" if request.path.name in WRITING else "looking")


#: The first element that can be seen and, if a name is given, has it as its text or label; and all that is written on the screen.
#: Asked in one step: element by element takes seconds on a long screen.
SHOWN = """
const [selector, name] = arguments;
const seen = (element) => element.getClientRects().length > 0 && element.checkVisibility({opacityProperty: true, visibilityProperty: true});
const named = (element) => name === null || element.innerText?.trim() === name || element.getAttribute('aria-label') === name;
return [...document.querySelectorAll(selector)].find((element) => seen(element) && named(element)) ?? null;
"""
WRITTEN = "return document.body.innerText.replaceAll(/[\\t\\u00a0]+/g, ' ').replaceAll(/ *\\n[ \\n]*/g, '\\n')"


class Browser:
    """One browser; finds what a person would look for and waits for it as long as a person would."""

    def __init__(self, address: str, folder: Path) -> None:
        options = webdriver.ChromeOptions()
        options.binary_location = "/usr/bin/chromium"
        for argument in [*CHROMIUM, f"--user-data-dir={folder}"]:
            options.add_argument(argument)
        self._driver = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
        self.address = address
        self._nothing_drawn = False

    @property
    def driver(self) -> webdriver.Chrome:
        """The driver, with the first screen where nothing was opened since somebody signed in."""
        if self._nothing_drawn:
            self.open("/")
        return self._driver

    def forget(self) -> None:
        """Closes what is open, and forgets cookies and everything else kept in the browser."""
        self._nothing_drawn = False
        self.driver.get("about:blank")
        self.driver.execute_cdp_cmd("Storage.clearDataForOrigin", {"origin": self.address, "storageTypes": "all"})
        self.driver.execute_cdp_cmd("Network.clearBrowserCookies", {})

    def open(self, path: str) -> None:
        self._nothing_drawn = False
        self.driver.get(self.address + path)

    def go(self, path: str) -> None:
        """Goes to another screen without loading the application anew, as a link does."""
        if self._nothing_drawn:
            self.open(path)
            return
        self.driver.execute_script("history.pushState(null, '', arguments[0]); dispatchEvent(new PopStateEvent('popstate', {state: null}))", path)

    def until(self, condition: Callable[[], Any], what: str, seconds: float = 30) -> Any:
        def met(_: Any) -> Any:
            try:
                return condition()
            except (StaleElementReferenceException, ElementNotInteractableException, ElementClickInterceptedException):
                return False

        try:
            return WebDriverWait(self.driver, seconds, poll_frequency=0.1).until(met)
        except TimeoutException:
            pytest.fail(f"{what}; on screen: {self.text()[:9000]}")

    def all(self, selector: str) -> list[WebElement]:
        return self.driver.find_elements(By.CSS_SELECTOR, selector)

    def one(self, selector: str) -> WebElement:
        found: WebElement = self.until(lambda: self.driver.execute_script(SHOWN, selector, None), f"no {selector}")
        return found

    def press(self, selector: str) -> None:
        """Clicks what the selector finds, however often it is drawn again meanwhile."""
        self.until(lambda: self.one(selector).click() is None, f"cannot press {selector}")

    def named(self, text: str, within: str = "button, a, [role=tab], label") -> WebElement:
        """The button, link or tab of that name."""
        found: WebElement = self.until(lambda: self.driver.execute_script(SHOWN, within, text), f"nothing named {text}")
        return found

    def click(self, text: str, within: str = "button, a, [role=tab], label") -> None:
        def clicked() -> bool:
            found = self.named(text, within)
            if not found.is_enabled() or "ant-btn-loading" in (found.get_attribute("class") or ""):
                return False
            self.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", found)
            found.click()
            return True

        self.until(clicked, f"cannot click {text}")

    def choose(self, label: str, text: str) -> None:
        """Searches in a list to choose from, found by its label or by #id, and takes what is offered."""
        selector = label if label.startswith("#") else f"input[aria-label='{label}']"
        field = self.until(lambda: next((item for item in self.all(selector) if item.is_enabled()), None), f"no list named {label}")
        self.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", field)
        field.send_keys(text)
        self.until(lambda: [item for item in self.all(".ant-select-item-option-active") if item.is_displayed() and text in item.text], f"{text} is not offered")
        field.send_keys(Keys.ENTER)

    def bring(self, *paths: Path) -> None:
        """Gives files to the field that takes them, as if they were chosen."""
        self.one(".drop")
        field = self.all("input[type=file]")[-1]
        field.send_keys("\n".join(str(path) for path in paths))

    def write(self, selector: str, text: str) -> None:
        """Types into an empty field."""
        self.one(selector).send_keys(text)

    def text(self) -> str:
        return str(self.driver.execute_script(WRITTEN))

    def sees(self, *texts: str) -> None:
        self.until(lambda: all(text in self.text() for text in texts), f"not to be seen: {texts}")

    def sign_in(self, login: str) -> None:
        """Signs somebody of the demo in as the page for it does, and draws no screen: most tests begin with another than the first."""
        page = requests.Session()
        page.headers["User-Agent"] = self._driver.execute_script("return navigator.userAgent")
        password = page.get(f"{self.address}/api/session").json()["demo_password"]
        token = {"X-CSRF-Token": page.cookies["moorland_csrf"]}
        page.post(f"{self.address}/api/session", json={"login": login, "password": password}, headers=token).raise_for_status()
        for cookie in page.cookies:
            kept = {"name": cookie.name, "value": cookie.value, "url": self.address, "httpOnly": cookie.has_nonstandard_attr("HttpOnly")}
            self._driver.execute_cdp_cmd("Network.setCookie", kept)
        self._nothing_drawn = True

    def pin(self, login: str) -> None:
        """Pins a person through the tray."""
        self.press(".tray button[title^='pin a viewer']")
        field = self.one("input[aria-label='Pin a person']")
        field.send_keys(login)
        self.until(
            lambda: [item for item in self.all(".ant-select-item-option") if item.is_displayed() and f"· {login}" in item.text], f"{login} is not offered"
        )
        field.send_keys(Keys.ENTER)
        self.until(lambda: any(login in (chip.get_attribute("title") or "") for chip in self.all(".chip .who")), f"{login} is not pinned")

    def write_condition(self, text: str) -> None:
        """Replaces the text of the open condition, key by key."""
        editor = self.one("[data-testid=condition] .cm-content")
        editor.click()
        editor.send_keys(Keys.CONTROL, "a")
        editor.send_keys(Keys.DELETE)
        editor.send_keys(text)
        editor.send_keys(Keys.ESCAPE)

    def share(self, table: str) -> str:
        """What the effect says of a table."""
        return self.one(f"[data-testid=share-{table}]").text.replace("\n", " ")

    def figure(self, measure: str) -> str:
        return self.one(f"[data-testid=figure-{measure}]").text


@pytest.fixture(scope="session")
def opened_browsers(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Callable[[int], Browser]]:
    """The browsers of a worker, opened once: the first, the second and so on of the people in one test."""
    opened: list[Browser] = []

    def browser(place: int) -> Browser:
        if place == len(opened):
            opened.append(Browser("", tmp_path_factory.mktemp("profile")))
        return opened[place]

    yield browser
    for each in opened:
        each.driver.quit()


@pytest.fixture
def browsers(address: str, opened_browsers: Callable[[int], Browser]) -> Iterator[Callable[[str], Browser]]:
    """Gives each person who signs in a browser that remembers nothing of the tests before."""
    used: list[Browser] = []

    def sign_in(login: str) -> Browser:
        browser = opened_browsers(len(used))
        browser.address = address
        used.append(browser)
        browser.sign_in(login)
        return browser

    yield sign_in
    for browser in used:
        browser.forget()


@pytest.fixture
def admin(browsers: Callable[[str], Browser]) -> Browser:
    """The demo's administrator, signed in."""
    return browsers("h.warden")


@pytest.fixture(scope="session")
def core(tmp_path_factory: pytest.TempPathFactory) -> Evaluator:
    """The demo as shipped, evaluated by the core alone."""
    folder = tmp_path_factory.mktemp("demo")
    generate(folder)
    return Evaluator(read_folder(folder), folder_loader(folder))


def total(core: Evaluator, login: str, measure: str, where: str | None = None, by: list[str] | None = None) -> Any:
    """A total, or the lines of one, that a viewer must see."""
    question = Question.model_validate({"totals": {"model": "operations", "by": by or [], "measures": [measure], "where": where}})
    answer = core.answer(core.viewer(login), question).model_dump()
    return {line["key"][0]: line["values"][0] for line in answer["lines"]} if by else answer["total"][0]


def shown(value: float) -> str:
    """A figure as the interface shows it: at most two decimals."""
    return f"{value:,.2f}".rstrip("0").rstrip(".")
