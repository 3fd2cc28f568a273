"""The page of a large network in a browser, against the page of a small one in the same browser.

Usable means: the page is loaded, its script has drawn the first rows of the records, and the browser has painted. The
frame budget of a search is `BUDGET`: from the last key to the frame that shows its result. A frame lasts 1/60 s. Of
several searches for the same words the median counts, and of all words the slowest.
"""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path
from statistics import median
from typing import Any

from bench.large import large
from bench.measure import Figure
from nogging.report.page import PageSubject, page

SMALL, LARGE = (4, 2_000), (200, 100_000)
FRAME, BUDGET = 1000 / 60, 3
_USABLE = """
const done = arguments[arguments.length - 1];
const moments = () => [...performance.getEntriesByType("paint").map((one) => one.startTime),
                       performance.getEntriesByType("navigation")[0].loadEventEnd];
const wait = () => (moments().length > 2 ? done(Math.max(...moments())) : setTimeout(wait, 10));
wait();
"""
_SEARCH = """
const done = arguments[arguments.length - 1], began = performance.now();
document.getElementById("kind").value = "route";
document.getElementById("kind").dispatchEvent(new Event("change"));
requestAnimationFrame(() => {
  const typed = performance.now();
  const search = document.getElementById("search");
  search.value = arguments[0];
  search.dispatchEvent(new Event("input"));
  requestAnimationFrame(() => setTimeout(() => done(performance.now() - typed), 0));
});
"""


def driver() -> Any:
    from selenium import webdriver

    options = webdriver.ChromeOptions()
    for argument in ("--headless=new", "--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage"):
        options.add_argument(argument)
    return webdriver.Chrome(options=options, service=webdriver.ChromeService(shutil.which("chromedriver")))


def figures(times: int = 5) -> list[Figure]:
    if not (shutil.which("chromium") and shutil.which("chromedriver")):
        return []
    with tempfile.TemporaryDirectory() as folder:
        pages = [_written(Path(folder), *size) for size in (SMALL, LARGE)]
        browser = driver()
        try:
            usable = [[_usable(browser, one) for one in pages] for _ in range(times + 1)][1:]
            searched = [
                [_searched(browser, pages[1], one) for _ in range(times)] for one in ("eth3 20.0.1", "zzz", "198.18")
            ]
        finally:
            browser.quit()
    what = "until the page of {} devices and {:,} records is usable"
    small, great = (min(turn[n] for turn in usable) for n in (0, 1))
    single = sorted(turn[1] / turn[0] for turn in usable)
    return [
        Figure(what.format(*LARGE), what.format(*SMALL), great / small, f"{single[0]:.2f} to {single[-1]:.2f}"),
        Figure(
            f"a search through {LARGE[1]:,} records, to the frame that shows it",
            f"{BUDGET} frames of 1/60 s",
            max(median(turns) for turns in searched) / (BUDGET * FRAME),
            f"{min(map(min, searched)) / FRAME:.1f} to {max(map(max, searched)) / FRAME:.1f} frames",
        ),
    ]


def _written(place: Path, devices: int, records: int) -> Path:
    before, after = large(place / str(records), devices, records)
    path = place / f"{records}.html"
    path.write_text(page(PageSubject("page", after, before)), encoding="utf-8")
    return path


def _usable(browser: Any, path: Path) -> float:
    """Milliseconds from the start of the navigation."""
    browser.get("about:blank")
    browser.get(path.as_uri())
    return float(browser.execute_async_script(_USABLE))


def _searched(browser: Any, path: Path, words: str) -> float:
    """Milliseconds from the key to the frame."""
    browser.get(path.as_uri())
    return float(browser.execute_async_script(_SEARCH, words))
