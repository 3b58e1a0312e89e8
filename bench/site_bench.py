"""What the running site takes: a changed value from request to solid, a pan frame of the sheet in the browser, and how
art follows the hand."""

from __future__ import annotations

import json
import math
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from itertools import pairwise
from pathlib import Path
from typing import Any

BASE = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(BASE / "e2e"), str(BASE / "scripts")]


@contextmanager
def running() -> Iterator[object]:
    from running_site import LIMITS, Site

    LIMITS.update(TECTOGON_COMPUTE_SECONDS="120", TECTOGON_COMPUTE_MEMORY="6000000000")
    site = Site(Path(tempfile.mkdtemp()))
    site.make_database()
    site.start()
    try:
        yield site
    finally:
        site.stop()


def changed_value() -> tuple[float, float]:
    """Seconds within which nine of ten requests have the new solid's bytes at a client that hears of it as the browser
    does, and those of the bare kernel calls for the same solid."""
    with running() as site:
        client = site.client()  # type: ignore[attr-defined]
        part = client.part_named("Clamp bracket")
        client.run(part["id"])
        times = []
        with client.http.stream("GET", "/api/events") as news:
            lines = news.iter_lines()
            _until_quiet(client)
            for n in range(22):
                card = json.loads(json.dumps(part["card"]))
                next(s for s in card["steps"] if s["kind"] == "extrude")["params"]["length"] = 50 + n / 3
                started = time.perf_counter()
                asked = client.call("POST", f"/api/parts/{part['id']}/runs", {"card": card})
                while asked["state"] in ("queued", "running"):
                    if asked["id"] in next(lines):
                        asked = client.call("GET", f"/api/computations/{asked['id']}")
                client.send("GET", f"/api/computations/{asked['id']}/part")
                times.append(time.perf_counter() - started)
    return sorted(times[2:])[17], _bare_kernel()


def _until_quiet(client: object, seconds: float = 90) -> None:
    """Wait until the shelf of a fresh site has all its pictures: drawing them takes all cores."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        parts = client.call("GET", "/api/parts")  # type: ignore[attr-defined]
        missing = [part["id"] for part in parts if not part["has_picture"]]
        if not missing:
            time.sleep(2)
            return
        for part in missing:  # a picture waits till somebody looks at its part
            client.send("GET", f"/api/parts/{part}/picture")  # type: ignore[attr-defined]
        time.sleep(1)
    raise SystemExit("The shelf has not all its pictures after a while; the changed value was not measured.")


def _bare_kernel() -> float:
    """The prism, three cuts and the mesh of the clamp bracket, nothing else."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
    from OCP.BRepMesh import BRepMesh_IncrementalMesh
    from tectogon.building import cuts
    from tectogon.route import run_card
    from tectogon.route.card import Card
    from tectogon.solids.prism import prism
    from tectogon.workpiece.parameters import ProfileChoice
    from tectogon.workpiece.profile_picks import chosen_regions

    data = json.loads((BASE / "demo" / "cards" / "clamp-bracket.json").read_text())
    run = run_card(
        Card.model_validate({**data, "steps": data["steps"][:7]}),
        {"clamp-bracket.dxf": BASE / "demo" / "files" / "clamp-bracket.dxf"},
    )
    workpiece, regions = run.workpiece, run.workpiece.drawing.regions
    block = chosen_regions(workpiece, ProfileChoice.model_validate(data["steps"][6]["params"]["profiles"]))[0]
    tools = [
        chosen_regions(workpiece, ProfileChoice.model_validate(s["params"]["profiles"])) for s in data["steps"][7:10]
    ]
    spans = [cuts._span(workpiece, workpiece.frame_of(rs[0]), cuts.Reach("through", 0, "away", 0)) for rs in tools]
    times = []
    for _ in range(7):
        started = time.perf_counter()
        shape = prism(regions, block, workpiece.frame_of(block), 0.0, -55.0, 70).shape
        for rs, (low, high) in zip(tools, spans, strict=True):
            for region in rs:
                shape = BRepAlgoAPI_Cut(
                    shape, prism(regions, region, workpiece.frame_of(region), low, high, 80).shape
                ).Shape()
        BRepMesh_IncrementalMesh(shape, 0.05, False, 0.35, False)
        times.append(time.perf_counter() - started)
    return sorted(times)[3]


def _sign_in(page: object, site: object) -> None:
    page.goto(site.url)  # type: ignore[attr-defined]
    page.get_by_label("Name").fill("ines")  # type: ignore[attr-defined]
    page.get_by_label("Password").fill("river-gauge")  # type: ignore[attr-defined]
    page.get_by_role("button", name="Sign in").click()  # type: ignore[attr-defined]
    page.get_by_text("the shelf").wait_for()  # type: ignore[attr-defined]


@contextmanager
def _large_sheet() -> Iterator[Any]:
    """A page with 100,000 short curves on the sheet, at rest."""
    from make_inputs import short_lines_dxf
    from playwright.sync_api import sync_playwright
    from running_site import BROWSER_ARGS

    with running() as site, sync_playwright() as playwright:
        client = site.client()  # type: ignore[attr-defined]
        part = client.upload("short.dxf", short_lines_dxf(100_000).read_bytes()).json()
        client.run(part["id"], seconds=120)
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=BROWSER_ARGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        _sign_in(page, site)
        page.goto(f"{site.url}/parts/{part['id']}")  # type: ignore[attr-defined]
        page.wait_for_selector("[data-ready]:not([data-ready=''])", state="attached", timeout=120_000)
        page.wait_for_timeout(1500)
        yield page
        browser.close()


def frame_time() -> float:
    """Median JavaScript milliseconds of a pan frame with 100,000 short curves on the sheet."""
    with _large_sheet() as page:
        box = page.locator("[data-pane=sheet] canvas").bounding_box()
        assert box
        page.mouse.move(box["x"] + 200, box["y"] + 300)
        page.mouse.down(button="right")
        frames = []
        for n in range(24):
            page.mouse.move(box["x"] + 200 + 4 * n, box["y"] + 300 + 2 * n)
            page.wait_for_timeout(60)
            frames.append(float(page.locator("[data-pane=sheet] canvas").get_attribute("data-frame") or 0))
    return sorted(frames[4:])[10]


_PAINTED = """async () => {
  const canvas = document.querySelector('[data-pane=sheet] canvas'), box = canvas.getBoundingClientRect();
  const at = { clientX: box.left + box.width / 2, clientY: box.top + box.height / 2, bubbles: true, cancelable: true };
  const frame = () => new Promise(requestAnimationFrame), began = performance.now();
  let frames = 0;
  for (; performance.now() - began < 4000; frames++) {
    await frame();
    canvas.dispatchEvent(new WheelEvent('wheel', { ...at, deltaY: frames % 40 < 20 ? -30 : 30 }));
  }
  const rest = performance.now();
  do await new Promise((done) => setTimeout(done, 20)); while (canvas.style.transform);
  await frame(); await frame();
  return [(frames * 1000) / (rest - began), (performance.now() - rest) / 1000];
}"""


def painted_sheet() -> tuple[float, float]:
    """With 100,000 curves on the sheet and WebGL drawn in software: frames painted a second while the wheel turns, and
    seconds after it rests until the sheet is sharp again."""
    with _large_sheet() as page:
        page.evaluate(_PAINTED)
        frames, sharp = page.evaluate(_PAINTED)
    return float(frames), float(sharp)


def dragged_art(pieces: int = 300) -> tuple[float, int]:
    """Seconds between two painted frames, 19 of 20 of them, while an emblem is dragged over the face of a plate; and
    the number of curves of its outline."""
    from playwright.sync_api import sync_playwright
    from running_site import BROWSER_ARGS
    from test_building_more import on_part, plate, raised
    from test_everyday_jobs import Hand

    with running() as site, sync_playwright() as playwright:
        _until_quiet(site.client())  # type: ignore[attr-defined]
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=BROWSER_ARGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
        _sign_in(page, site)
        hand = Hand(page, site)  # type: ignore[arg-type]
        raised(hand, plate)
        hand.enter("Extrude")
        page.get_by_role("button", name="Look from the top").click()
        hand.settled()
        hand.add("emblem.svg", _emblem(pieces), at=on_part(page, 0.5, 0.5))
        page.get_by_role("button", name="Make it 32 mm wide, in the middle").click()
        art = page.get_by_label("Art on the face")
        art.wait_for()
        hand.settled()
        grip = page.locator("[data-grip=move]").bounding_box()
        assert grip
        x, y = grip["x"] + grip["width"] / 2, grip["y"] + grip["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 3, y, steps=2)
        page.evaluate(
            """() => {
                const times = (window.frameTimes = []);
                const tick = (now) => { times.push(now); requestAnimationFrame(tick); };
                requestAnimationFrame(tick);
            }"""
        )
        for n in range(150):
            page.mouse.move(x + 20 * math.sin(n / 12), y + 12 * math.sin(n / 7))
        times = page.evaluate("window.frameTimes")
        curves = page.evaluate(
            "document.querySelector('[aria-label=\"Art on the face\"] path').getAttribute('d').match(/[ML]/g).length"
        )
        page.mouse.up()
        browser.close()
    gaps = sorted(b - a for a, b in pairwise(times))
    return gaps[int(0.95 * len(gaps))] / 1e3, int(curves)


def _emblem(pieces: int) -> bytes:
    """A ragged disc and three rings in it, of so many straight pieces altogether, as SVG."""
    paths = []
    for radius, share in ((40, 0.4), (30, 0.3), (20, 0.2), (10, 0.1)):
        count = round(pieces * share)
        turns = [2 * math.pi * n / count for n in range(count)]
        corners = [(radius * (1 - 0.1 * (n % 2)), turn) for n, turn in enumerate(turns)]
        at = " L".join(f"{50 + r * math.cos(a):.3f} {50 + r * math.sin(a):.3f}" for r, a in corners)
        paths.append(f'<path d="M{at} Z" fill="none" stroke="black"/>')
    head = '<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="100mm" viewBox="0 0 100 100">'
    return f"{head}{''.join(paths)}</svg>".encode()
