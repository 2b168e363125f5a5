"""Chromium without a screen, and the moves that the tests make with it."""

from __future__ import annotations

import atexit
import io
import tempfile
from collections.abc import Callable
from functools import cache
from pathlib import Path
from unittest.mock import patch

import numpy as np
from django.test import LiveServerTestCase, override_settings, tag
from PIL import Image
from selenium import webdriver
from selenium.common.exceptions import StaleElementReferenceException, TimeoutException
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import WebDriverWait

WAIT = 400
POLL = 0.12
"""Seconds between two looks at what is waited for: each look takes the processor 8 ms."""

WINDOW = (1280, 800)
QUIET = (
    "--headless=new", "--no-sandbox", "--disable-dev-shm-usage", "--hide-scrollbars", "--no-first-run",
    "--disable-quic", "--disable-background-networking", "--disable-component-update", "--disable-sync",
    "--force-color-profile=srgb",
)  # fmt: skip
STATE = """return JSON.stringify({
    revision: document.getElementById("state")?.dataset.revision,
    drawn: document.getElementById("flat")?.dataset.revision,
    busy: document.getElementById("stage")?.ariaBusy,
    asked: [...document.querySelectorAll(".htmx-request")].map((one) => one.id || one.outerHTML.slice(0, 80)),
    said: [...document.querySelectorAll("#stage-message, #notice")].map((element) => element.textContent.trim()),
})"""
"""What the page is waiting for, told where a test waits in vain."""

REPLACED = 20
"""Times that an element may be replaced while something is done with it."""

ABORTED = ("htmx:sendAbort", "htmx:afterRequest")
"""What htmx says of a request that its page took back for a newer one; of one that failed it says more."""

WITH_WEBGL = (
    "--use-angle=swiftshader", "--enable-unsafe-swiftshader", "--disable-gpu-rasterization",
    "--disable-accelerated-2d-canvas", "--disable-gpu-compositing",
)  # fmt: skip
"""WebGL by a software renderer, which neither draws nor joins anything else of the page: that took a third of the
tests' time."""
STILL = "--force-prefers-reduced-motion"
"""Nothing moves by itself, and no view at rest is drawn ever finer: that takes the processors of the tests."""

WITHOUT_WEBGL = ("--disable-gpu", "--disable-3d-apis")


def chromium(downloads: Path, *flags: str) -> webdriver.Chrome:
    """Debian's Chromium at 1280 x 800, saving what it downloads to a folder."""
    options = webdriver.ChromeOptions()
    for flag in (*QUIET, *flags):
        options.add_argument(flag)
    options.add_experimental_option("prefs", {"download.default_directory": str(downloads)})
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    driver = webdriver.Chrome(options, webdriver.ChromeService("/usr/bin/chromedriver"))
    set_window(driver, *WINDOW, density=1)
    return driver


@cache
def shared_chromium(*flags: str) -> webdriver.Chrome:
    """One Chromium for all test classes of a process that ask for the same flags, until the process ends."""
    folder = tempfile.TemporaryDirectory()
    driver = chromium(Path(folder.name), *flags)
    atexit.register(folder.cleanup)
    atexit.register(driver.quit)
    return driver


def set_window(driver: webdriver.Chrome, width: int, height: int, density: float) -> None:
    """Gives the page as many CSS pixels, each drawn by `density` pixels on a side."""
    size = {"width": width, "height": height, "deviceScaleFactor": density, "mobile": False}
    driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)


@tag("browser")
@override_settings(DEBUG=False, INTAKE_AT_ONCE=600)
class BrowserTestCase(LiveServerTestCase):
    """A live server with an empty studio for the whole class, and one browser for all classes alike."""

    host = "127.0.0.1"
    static_handler = staticmethod(lambda application: application)  # scripts come as they do from a studio
    flags = WITH_WEBGL
    sharpest = 512
    """Texels on the long side of what is drawn; more prove nothing where no test counts them."""
    density = 0.5
    """Pixels on a side of a CSS pixel. Half as many are drawn in half the time; tests that count pixels take 1."""
    expected_complaints: tuple[str, ...] = ()
    """Parts of messages that the browser's console may hold."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        cls.downloads = cls.folder / "downloads"
        cls.downloads.mkdir()
        cls.enterClassContext(override_settings(MEDIA_ROOT=cls.folder / "media"))
        for drawing in ("stage", "solid"):
            cls.enterClassContext(patch(f"studio.bench.pixels.{drawing}.SHARPEST", cls.sharpest))
        cls.driver = shared_chromium(*cls.flags, STILL)
        cls.driver.execute_cdp_cmd(
            "Browser.setDownloadBehavior", {"behavior": "allow", "downloadPath": str(cls.downloads)}
        )
        set_window(cls.driver, *WINDOW, cls.density)

    def setUp(self):
        self.driver.get("about:blank")
        self.driver.execute_cdp_cmd(
            "Storage.clearDataForOrigin", {"origin": self.live_server_url, "storageTypes": "all"}
        )
        self.driver.get_log("browser")

    def tearDown(self):
        complaints = [entry["message"] for entry in self.driver.get_log("browser") if entry["level"] == "SEVERE"]
        expected = (*ABORTED, *self.expected_complaints)
        unexpected = [text for text in complaints if not any(part in text for part in expected)]
        self.assertEqual(unexpected, [], "the browser's console complains")

    # moves

    def open(self, path: str):
        self.driver.get(self.live_server_url + path)

    def set_window(self, width: int, height: int):
        """Gives the page as many CSS pixels until the end of the test."""
        self.addCleanup(set_window, self.driver, *WINDOW, self.density)
        set_window(self.driver, width, height, self.density)

    def allow_motion(self):
        """As for those who have not asked for less of it."""
        self.prefer("prefers-reduced-motion", "no-preference")

    def prefer(self, feature: str, value: str):
        """As where the reader's system asks for that, until the end of the test."""
        self.driver.execute_cdp_cmd("Emulation.setEmulatedMedia", {"features": [{"name": feature, "value": value}]})
        self.addCleanup(self.driver.execute_cdp_cmd, "Emulation.setEmulatedMedia", {"features": []})

    def find(self, selector: str):
        return self.driver.find_element(By.CSS_SELECTOR, selector)

    def all(self, selector: str):
        return self.driver.find_elements(By.CSS_SELECTOR, selector)

    def with_element(self, selector: str, act: Callable):
        """Does something with an element; again where the page replaced it at that moment, as it does every second."""
        for _ in range(REPLACED):
            try:
                return act(self.find(selector))
            except StaleElementReferenceException:
                continue
        return act(self.find(selector))

    def click(self, selector: str):
        """Clicks on an element, once the fold that it lies in is open."""
        self.run_script("const fold = document.querySelector(arguments[0])?.closest('.stage-more');"
                        "if (fold) fold.open = true", selector)  # fmt: skip
        self.with_element(selector, lambda element: element.click())

    def click_unseen(self, selector: str):
        """Clicks on an element that may lie outside the window or under another."""
        self.run_script("document.querySelector(arguments[0]).click()", selector)

    def scroll_to(self, selector: str):
        self.run_script("document.querySelector(arguments[0]).scrollIntoView({block: 'center'})", selector)

    def enter(self, selector: str, value: str, event: str):
        """Sets a box, a slider or a list at once, and lets the page know by an event."""
        script = (
            "const [selector, value, event] = arguments; const box = document.querySelector(selector);"
            "box.value = value; box.dispatchEvent(new Event(event, {bubbles: true}))"
        )
        self.run_script(script, selector, value, event)

    def type(self, selector: str, keys: str):
        self.with_element(selector, lambda element: element.send_keys(keys))

    def attribute(self, selector: str, name: str):
        return self.with_element(selector, lambda element: element.get_attribute(name))

    def text(self, selector: str) -> str:
        return self.with_element(selector, lambda element: element.text)

    def run_script(self, script: str, *arguments):
        return self.driver.execute_script(script, *arguments)

    def until(self, condition, message: str | Callable[[], str] = ""):
        """Waits until a condition holds, as long as it takes within reason; no test depends on how long that is."""
        patient = WebDriverWait(self.driver, WAIT, POLL, ignored_exceptions=(StaleElementReferenceException,))
        try:
            return patient.until(lambda _: condition())
        except TimeoutException:
            self.fail(message() if callable(message) else message or "what was waited for did not come")

    def drag(self, element, by: tuple[int, int], steps: int = 5):
        """Drags from an element's middle, in several moves as a hand does."""
        move = ActionChains(self.driver, duration=30).move_to_element(element).click_and_hold()
        for _ in range(steps):
            move = move.move_by_offset(by[0] / steps, by[1] / steps)
        move.release().perform()

    def press(self, *keys: str):
        """Presses keys one after the other."""
        ActionChains(self.driver).send_keys(*keys).perform()

    def press_with_control(self, key: str):
        ActionChains(self.driver).key_down(Keys.CONTROL).send_keys(key).key_up(Keys.CONTROL).perform()

    def set_number(self, element_id: str, value: str):
        """Types a value into a number box and leaves it."""
        box = self.find(f"#{element_id}")
        revision = self.revision()
        self.run_script("arguments[0].select()", box)
        box.send_keys(value, "\n")
        self.until(lambda: self.revision() != revision, f"{element_id} was not taken")

    # what is to be seen

    def revision(self) -> str:
        return self.run_script("return document.getElementById('state').dataset.revision")

    def settled(self):
        """Waits until the stage shows the state that the page is at, sharpened, and nothing is asked for."""
        script = (
            "const at = document.getElementById('state').dataset.revision;"
            "return document.getElementById('flat').dataset.revision === at"
            " && document.getElementById('stage').ariaBusy === 'false' && !document.querySelector('.htmx-request')"
        )
        self.until(lambda: self.run_script(script), lambda: f"not settled: {self.run_script(STATE)}")
        # what was drawn is on the screen after the next frame
        self.driver.execute_async_script("requestAnimationFrame(() => requestAnimationFrame(arguments[0]))")

    def pixels(self, selector: str = "#stage") -> np.ndarray:
        """What an element looks like on the screen: float (rows, columns, 3), 0 to 1."""
        shot = Image.open(io.BytesIO(self.find(selector).screenshot_as_png)).convert("RGB")
        return np.asarray(shot, float) / 255

    def middle(self) -> np.ndarray:
        """The pixels in the middle of the stage, free of tools and lines."""
        rows, columns, _ = (picture := self.pixels()).shape
        return picture[rows * 55 // 100 : rows * 85 // 100, columns // 3 : columns * 2 // 3]
