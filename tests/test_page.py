"""The page, in a real browser: what it shows, what it loads, what the keyboard can do, and what hostile text does not."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Any

import pytest

import nogging
from conftest import Build, Change
from nogging.captures.capture import Capture
from nogging.report import plain
from nogging.report.page import PageSubject, page
from nogging.report.text import look_first

pytestmark = pytest.mark.skipif(
    not (shutil.which("chromium") and shutil.which("chromedriver")), reason="there is no chromium with its driver here"
)
HOSTILE = "</script><script>document.title = 'owned'</script><img src=x onerror=\"document.title='owned'\">"
AT = "2026-11-24T02:00:{}+00:00"
EVENTS = [
    {"at": AT.format(f"{second:02}.000"), "event": event, **more}
    for second, event, more in [
        (0, "begin", {}),
        (8, "before", {}),
        (8, "probing", {"probes": ["office", "terminal"]}),
        (9, "step", {"step": 0, "title": HOSTILE}),
        (12, "step done", {"step": 0}),
        (20, "outage", {"probe": "office", "began": AT.format("10.000"), "seconds": 2.5, "lost": 3}),
        (21, "settling", {"after": 4.0, "moved": {"route on mole-r1": 7}}),
        (25, "settling", {"after": 8.0, "moved": {}}),
        (25, "settled", {}),
        (30, "judged", {"verdict": "fail"}),
        (30, "failed", {}),
        (30, "backing out", {}),
        (34, "taken back", {}),
        (44, "settled", {}),
        (50, "end", {}),
    ]
]


def opened(browser: Any, text: str, path: Path) -> None:
    path.write_text(text, encoding="utf-8")
    browser.get_log("browser"), browser.get_log("performance")
    browser.get(path.as_uri())


@pytest.fixture
def shown(browser: Any, bad: Change, tmp_path: Path) -> Any:
    """The page of the change that went badly, with a description that a device's owner should not have written."""
    import pyarrow as pa

    table = bad.after.records("interface")
    column = table.schema.get_field_index("description")
    values = [HOSTILE, *table.column(column).to_pylist()[1:]]
    after: Capture = bad.after.with_records(
        {"interface": table.set_column(column, table.schema.field(column), pa.array(values))}
    )
    found = nogging.check(bad.expectations, after=bad.after, before=bad.before)
    told = PageSubject(
        f"Gannet {HOSTILE}", after, bad.before, plain.judgement(found), first=look_first(found) or "", todo=[HOSTILE],
        events=EVENTS, journal=[("02:00:09", "step", f"step 1: {HOSTILE}")], probes=["office: 30 sent, 3 lost"],
    )  # fmt: skip
    opened(browser, page(told), tmp_path / "page.html")
    return browser


def rows(browser: Any) -> list[str]:
    return [row.text for row in browser.find_elements("css selector", "#table tbody tr:not([aria-hidden])")]


def test_it_loads_nothing_runs_nothing_foreign_and_has_no_barriers(shown: Any) -> None:
    from axe_selenium_python import Axe

    asked = [
        entry["message"] for entry in shown.get_log("performance") if "Network.requestWillBeSent" in entry["message"]
    ]
    assert len(asked) == 1, "the page itself, and nothing besides"
    assert [entry for entry in shown.get_log("browser") if entry["level"] == "SEVERE"] == []
    assert "owned" not in shown.title.split("Gannet")[0] and HOSTILE in shown.title
    assert HOSTILE in shown.find_element("css selector", "h1").text and not shown.find_elements("css selector", "img")
    for scheme in ("light", "dark"):
        shown.execute_cdp_cmd(
            "Emulation.setEmulatedMedia", {"features": [{"name": "prefers-color-scheme", "value": scheme}]}
        )
        shown.execute_cdp_cmd("Page.setBypassCSP", {"enabled": True})
        shown.refresh()
        axe = Axe(shown)
        axe.inject()
        found = axe.run()
        assert found["violations"] == [], (
            scheme,
            [(one["id"], [n["html"][:120] for n in one["nodes"]][:3]) for one in found["violations"]],
        )
    shown.execute_cdp_cmd("Emulation.setEmulatedMedia", {"features": []})


def test_the_verdict_is_first_and_the_evidence_one_key_away(shown: Any) -> None:
    from selenium.webdriver.common.keys import Keys

    head = shown.find_element("css selector", "header").text
    assert "FAIL" in head and "Look first: interface GigabitEthernet0/4 on mole-r2: mtu is 1500" in head
    details = shown.find_elements("css selector", "details.pass")[0]
    assert details.get_attribute("open") is None
    details.find_element("css selector", "summary").send_keys(Keys.ENTER)
    assert details.get_attribute("open") == "true"
    evidence = shown.find_element("css selector", "details.fail mark").text
    assert "Neighbor 192.0.2." in evidence
    words = {element.text for element in shown.find_elements("css selector", ".became")}
    assert {"lost", "new"} <= words


def test_what_happened_when_is_drawn(shown: Any) -> None:
    bars = shown.find_elements("css selector", ".timeline rect")
    told = [bar.get_attribute("textContent") for bar in bars]
    assert [one.rpartition(": ")[2] for one in told] == [
        "8.0 s",
        "3.0 s",
        "13.0 s",
        "5.0 s",
        "4.0 s",
        "10.0 s",
        "6.0 s",
        "2.5 s",
    ]
    (outage,) = (bar for bar in bars if bar.get_attribute("class") == "outage")
    first, last = (float(bars[n].get_attribute("x")) for n in (0, 6))
    assert abs((float(outage.get_attribute("x")) - first) / (last - first) - 10 / 44) < 0.01, (
        "where it was, on one axis"
    )
    assert "last moved, after 4 s: route on mole-r1 (7)" in shown.find_element("id", "figures").text
    assert "no outage" in shown.find_element("css selector", ".timeline").text
    shown.find_element("css selector", 'nav a[href="#journal"]').click()
    assert abs(shown.execute_script("return document.getElementById('journal').getBoundingClientRect().top")) < 80


def test_records_are_searched_sorted_and_filtered(shown: Any) -> None:
    from selenium.webdriver.common.keys import Keys
    from selenium.webdriver.support.ui import Select

    every = rows(shown)
    assert len(every) > 20 and HOSTILE in " ".join(every)
    search = shown.find_element("id", "search")
    search.send_keys("gannet FIBRE")
    assert len(rows(shown)) == 2 and all("fibre span" in row for row in rows(shown))
    search.clear()
    search.send_keys("198.51.100.42")
    shown.implicitly_wait(5)
    other = shown.find_element("css selector", "#others button")
    shown.implicitly_wait(0)
    assert (rows(shown), other.text) == ([], "address (1)"), "it is of another kind, and told to be"
    other.send_keys(Keys.ENTER)
    assert len(rows(shown)) == 1 and "198.51.100.42" in rows(shown)[0]
    Select(shown.find_element("id", "kind")).select_by_value("interface")
    search.clear()
    search.send_keys("no such thing")
    assert rows(shown) == [] and shown.find_element("id", "count").text.startswith("0 of")
    shown.execute_script("arguments[0].value = ''; arguments[0].dispatchEvent(new Event('input'))", search)
    Select(shown.find_element("id", "device")).select_by_visible_text("mole-r2")
    assert rows(shown) and all(one.startswith("mole-r2") for one in rows(shown))
    mtu = next(one for one in shown.find_elements("css selector", "#table th button") if one.text == "mtu")
    mtu.send_keys(Keys.ENTER)
    first = shown.find_element("css selector", "#table th[aria-sort]")
    assert first.text == "mtu ▲" and shown.switch_to.active_element.text == "mtu ▲", "the focus stays where it was"
    numbers = [
        int(element.text)
        for element in shown.find_elements("css selector", "#table tbody tr:not([aria-hidden]) td:nth-child(9)")
        if element.text.isdigit()
    ]
    assert numbers == sorted(numbers)
    Select(shown.find_element("id", "kind")).select_by_value("route")
    assert shown.find_element("id", "count").text.split()[0] == str(len(rows(shown)))


def test_it_fits_a_phone(shown: Any) -> None:
    shown.set_window_size(500, 800)
    try:
        assert shown.execute_script("return document.documentElement.scrollWidth <= window.innerWidth")
    finally:
        shown.set_window_size(1280, 800)


def test_of_a_great_many_devices_those_that_are_well_are_counted(build: Build) -> None:
    port = "Interface eth1 is up, line protocol is up\n  index 2 metric 0 mtu {} speed 1000\n"
    several = [f"r{n:03}-r1" for n in range(510)]
    before, after = (
        build(name, {one: {"show interface": port.format(mtu if one == "r007-r1" else 1500)} for one in several})
        for name, mtu in (("before", 1500), ("after", 9000))
    )
    text = page(PageSubject("many", after, before))
    assert "509 more devices are not listed; 509 of all are well" in text
    records = text[text.index('id="data"') :]
    assert "r007-r1" in records and "r008-r1" not in records
