"""A cutoff dragged in the browser: the share of frames over 16.7 ms while a handle moves, against the same page idle,
and the script's own milliseconds for each move. Six candidates; ROWS rows each (1,000,000 unless said). Then the map of
all of them, dragged and gone nearer to.

    python benchmarks/drag.py [ROWS]
"""

from __future__ import annotations

import shutil
import statistics
import sys
import tempfile
import threading
from pathlib import Path

import numpy as np
import polars as pl
import waitress
from playwright.sync_api import Page, sync_playwright

from skarlo.studies import accounts
from skarlo.studies.workspace import Workspace
from skarlo.web.app import create_app
from skarlo.web.demo import bring_in

ARGS = [
    "--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update", "--disable-sync",
    "--no-first-run",
]  # fmt: skip
CANDIDATES, MOVES, SLOW = 6, 120, 16.7
NAME, PASSWORD = "ana", "a long password"

FRAMES = """async moves => {
  const frames = [], work = [];
  const svg = document.querySelector('[data-strip]');
  const box = svg.getBoundingClientRect();
  const event = (type, x) => new PointerEvent(type, {
    bubbles: true, pointerId: 1, clientX: x, clientY: box.top + 30, button: 0, buttons: 1,
  });
  svg.setPointerCapture = () => {};
  const next = () => new Promise(done => requestAnimationFrame(done));
  let before = await next();
  if (moves) svg.dispatchEvent(event('pointerdown', box.left + 0.3 * box.width));
  for (let k = 0; k < COUNT; k++) {
    if (moves) {
      const begun = performance.now();
      svg.dispatchEvent(event('pointermove', box.left + (0.3 + 0.4 * Math.abs(Math.sin(k / 9))) * box.width));
      work.push(performance.now() - begun);
    }
    const now = await next();
    frames.push(now - before);
    before = now;
  }
  if (moves) svg.dispatchEvent(event('pointerup', box.left + 0.3 * box.width));
  return [frames, work];
}""".replace("COUNT", str(MOVES))


def write(folder: Path, rows: int) -> Path:
    """A study of six candidates with scores."""
    rng = np.random.default_rng(1)
    actual = rng.random(rows) < 0.2
    ids = [f"r{i}" for i in range(rows)]
    girth = rng.normal(size=rows)
    fields = {"girth": girth, "height": girth / 2 + rng.normal(size=rows)}
    said = {"id": ids, "actual": np.where(actual, "yes", "no"), **fields}
    pl.DataFrame(said).write_parquet(folder / "holdout.parquet")
    scores = {f"c{k}": np.clip(rng.normal(0.35 + 0.25 * actual, 0.15 + 0.02 * k), 0, 1) for k in range(CANDIDATES)}
    pl.DataFrame({"id": ids, **scores}).write_parquet(folder / "scores.parquet")
    entry = '[[candidates]]\nname = "Candidate {0}"\npath = "scores.parquet"\nid = "id"\nscore = "c{0}"\n'
    entries = "".join(entry.format(k) for k in range(CANDIDATES))
    text = (
        'format = "skarlo.study/1"\ntitle = "Dragged"\n[holdout]\npath = "holdout.parquet"\nid = "id"\n'
        f'truth = "actual"\npositive = "yes"\n{entries}'
    )
    (folder / "study.toml").write_text(text, encoding="utf-8")
    return folder / "study.toml"


def measure(page: Page) -> None:
    idle, _ = page.evaluate(FRAMES, False)
    dragged, work = page.evaluate(FRAMES, True)
    for what, frames in (("idle", idle), ("dragging", dragged)):
        late = sum(f > SLOW + 0.5 for f in frames) / len(frames)
        print(f"{what}: {late:.2f} of the frames over {SLOW} ms, median {statistics.median(frames):.1f} ms")
    print(f"dragging / idle, median frame: {statistics.median(dragged) / statistics.median(idle):.2f}")
    print(f"script for each move: median {statistics.median(work):.2f} ms, most {max(work):.1f} ms")


def plane(page: Page) -> None:
    """The map: script milliseconds for each move of the plane and each step nearer, and its frames."""
    box = page.locator("canvas").bounding_box()
    assert box is not None
    meter = page.context.new_cdp_session(page)
    meter.send("Performance.enable")

    def script() -> float:
        told = {x["name"]: x["value"] for x in meter.send("Performance.getMetrics")["metrics"]}
        return 1000.0 * float(told["ScriptDuration"])

    page.evaluate("""() => {
      window.frames_ = []; let before = performance.now();
      const next = now => { window.frames_.push(now - before); before = now; requestAnimationFrame(next); };
      requestAnimationFrame(next);
    }""")
    x, y = box["x"] + 300, box["y"] + 200
    page.mouse.move(x, y)
    page.mouse.down()
    page.evaluate("window.frames_.length = 0")
    begun = script()
    for k in range(MOVES):
        page.mouse.move(x + k % 60, y + k % 30)
    took, frames = (script() - begun) / MOVES, page.evaluate("window.frames_")
    page.mouse.up()
    page.wait_for_timeout(1000)
    begun = script()
    for k in range(20):
        page.mouse.wheel(0, -100 if k < 10 else 100)
        page.wait_for_timeout(30)
    print(f"the map, moved: script {took:.1f} ms a move, median frame {statistics.median(frames):.1f} ms; "
          f"nearer and further: script {(script() - begun) / 20:.1f} ms a step")  # fmt: skip


def main() -> None:
    rows = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000
    with tempfile.TemporaryDirectory() as name, sync_playwright() as playwright:
        folder = Path(name)
        workspace = Workspace.open(folder / "workspace")
        with workspace.writing() as records:
            user = accounts.add_user(records, NAME, "analyst", PASSWORD)
        number = bring_in(workspace, write(folder, rows), user)
        server = waitress.create_server(create_app(workspace), host="127.0.0.1", port=0, threads=4)
        threading.Thread(target=server.run, daemon=True).start()
        browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=ARGS)
        page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
        page.set_default_timeout(600_000)
        address = f"http://127.0.0.1:{server.effective_port}"
        page.goto(address)
        page.get_by_label("Name").fill(NAME)
        page.get_by_label("Password").fill(PASSWORD)
        page.get_by_role("button", name="Sign in").click()
        page.get_by_role("button", name="Sign in").wait_for(state="detached")
        page.goto(f"{address}/studies/{number}/cutoff")
        page.locator("[data-strip]").nth(CANDIDATES - 1).wait_for()
        page.locator("main[aria-busy='false']").wait_for()
        print(f"{CANDIDATES} candidates of {rows:,} rows")
        measure(page)
        page.goto(f"{address}/studies/{number}/casebook?read=map")
        page.locator("canvas").wait_for()
        page.wait_for_timeout(3000)
        plane(page)
        browser.close()


main()
