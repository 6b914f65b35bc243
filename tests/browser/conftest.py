"""The real interface in headless Chromium, against a real server, with an ear on what it schedules."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, expect, sync_playwright
from tests.conftest import Server

FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
AXE = Path(__file__).parents[2] / "frontend" / "node_modules" / "axe-core" / "axe.min.js"

EAR = """
// Hears what the page schedules: the samples of every buffer, and when it starts, without changing either.
window.heard = [];
const start = AudioBufferSourceNode.prototype.start;
AudioBufferSourceNode.prototype.start = function (when) {
  const channels = [];
  for (let c = 0; c < this.buffer.numberOfChannels; c += 1) channels.push(Array.from(this.buffer.getChannelData(c)));
  window.heard.push({ when, rate: this.context.sampleRate, bufferRate: this.buffer.sampleRate, channels });
  return start.call(this, when);
};
// Knows whether anything that was asked of the server is still unanswered.
window.unanswered = 0;
window.quietSince = 0;
const ask = window.fetch;
window.fetch = (...args) => {
  window.unanswered += 1;
  return ask(...args).finally(() => { window.unanswered -= 1; window.quietSince = performance.now(); });
};
"""


PATIENCE_MS = 15_000
"""How long the slowest step may take with both cores taken; what is asked for within a time says so itself."""
expect.set_options(timeout=PATIENCE_MS)


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        opened = playwright.chromium.launch(executable_path="/usr/bin/chromium", headless=True, args=FLAGS)
        yield opened
        opened.close()


@pytest.fixture(scope="session")
def demo_server(demo_home: Path) -> Iterator[Server]:
    running = Server(demo_home)
    yield running
    running.kill()


@pytest.fixture
def context(browser: Browser) -> Iterator[BrowserContext]:
    made = browser.new_context(viewport={"width": 1280, "height": 800})
    made.add_init_script(EAR)
    yield made
    made.close()


@pytest.fixture
def new_page(context: BrowserContext) -> Iterator[Callable[[], Page]]:
    """Open pages that fail the test if anything is written to the console as an error."""
    complaints: list[str] = []

    def make() -> Page:
        page = context.new_page()
        page.set_default_timeout(PATIENCE_MS)
        page.on("console", lambda message: complaints.append(message.text) if message.type == "error" else None)
        page.on("pageerror", lambda error: complaints.append(str(error)))
        return page

    yield make
    # A refused edit (409) is told by the browser itself, in its own words; nothing else may be.
    assert [text for text in complaints if "409" not in text and "400" not in text] == []


@pytest.fixture
def page(new_page: Callable[[], Page]) -> Page:
    return new_page()
