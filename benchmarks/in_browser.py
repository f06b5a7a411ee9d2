"""From a keystroke in the bench to the new effect on screen, in the browser against a served demo."""

import statistics

from selenium import webdriver
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import WebDriverWait

ARGUMENTS = "--headless=new --no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking --disable-component-update --disable-sync"

WATCH = """
window.__waits = []; window.__key = null;
window.addEventListener('keydown', () => { window.__key = performance.now(); }, true);
const told = () => document.querySelector('[data-testid=share-site]')?.textContent;
let last = told();
new MutationObserver(() => {
  const now = told();
  if (now && now !== last) { last = now; if (window.__key) window.__waits.push(performance.now() - window.__key); window.__key = null; }
}).observe(document.body, {subtree: true, childList: true, characterData: true});
"""


def keystroke_in_browser(address: str) -> tuple[float, float]:
    """Median and longest wait, in seconds, over keystrokes that change the effect for the focused viewer."""
    options = webdriver.ChromeOptions()
    options.binary_location = "/usr/bin/chromium"
    for argument in [*ARGUMENTS.split(), "--window-size=1280,800"]:
        options.add_argument(argument)
    driver = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
    try:
        wait = WebDriverWait(driver, 20)
        driver.get(address)
        wait.until(lambda _: [item for item in driver.find_elements(By.CSS_SELECTOR, ".demo-account") if "h.warden" in item.text])[0].click()
        wait.until(lambda _: driver.find_elements(By.CSS_SELECTOR, ".tray"))
        pin = '[{"key": "user:v.birk", "title": "Verity Birk", "detail": "v.birk", "viewer": "v.birk"}]'
        driver.execute_script("localStorage.setItem('moorland.h.warden.pins', arguments[0]); localStorage.setItem('moorland.h.warden.focus', '1')", pin)
        driver.get(f"{address}/roles/open-sites-only")
        wait.until(lambda _: driver.find_elements(By.CSS_SELECTOR, "[data-testid=effect]"))
        driver.get(f"{address}/roles/all-data")
        wait.until(lambda _: [item for item in driver.find_elements(By.TAG_NAME, "button") if item.text == "+ rows"])[0].click()
        editor = wait.until(lambda _: driver.find_elements(By.CSS_SELECTOR, ".cm-content"))[0]
        editor.click()
        editor.send_keys("site_id < 1")
        editor.send_keys(Keys.ESCAPE)
        wait.until(lambda _: "of 48" in driver.find_element(By.CSS_SELECTOR, "[data-testid=share-site]").text)
        driver.execute_script(WATCH)
        for digit in "23456789" * 2:
            count = len(driver.execute_script("return window.__waits"))
            driver.find_element(By.CSS_SELECTOR, ".cm-content").send_keys(Keys.BACKSPACE)
            wait.until(lambda _, seen=count: len(driver.execute_script("return window.__waits")) >= seen)
            driver.find_element(By.CSS_SELECTOR, ".cm-content").send_keys(digit)
            wait.until(lambda _, seen=count: len(driver.execute_script("return window.__waits")) > seen)
        waits = driver.execute_script("return window.__waits")
        return statistics.median(waits) / 1000, max(waits) / 1000
    finally:
        driver.quit()
