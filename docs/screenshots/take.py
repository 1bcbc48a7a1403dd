"""Take the pictures of this folder: the real app on the sample world, in Debian's Chromium, 1280 x 800."""

from __future__ import annotations

import shutil
import tempfile
import threading
from pathlib import Path
from urllib.parse import urlencode

import waitress
from playwright.sync_api import Page, ViewportSize, sync_playwright

from skarlo.sample import write_limb_failure
from skarlo.studies.workspace import Workspace
from skarlo.web.app import create_app
from skarlo.web.demo import PEOPLE, prepare

HERE = Path(__file__).parent
ARGS = [
    "--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update", "--disable-sync",
    "--no-first-run",
]  # fmt: skip


def sign_in(page: Page, address: str, name: str) -> None:
    page.goto(address)
    page.get_by_label("Name").fill(name)
    page.get_by_label("Password").fill(PEOPLE[name][1])
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("heading", name="Studies", exact=True).wait_for()


def settle(page: Page) -> None:
    page.wait_for_load_state("networkidle")
    page.wait_for_timeout(400)


def shoot(page: Page, name: str) -> None:
    settle(page)
    page.screenshot(path=HERE / f"{name}.png")


def pin(page: Page, caption: str) -> None:
    settle(page)
    page.get_by_role("button", name="Pin this view").click()
    page.get_by_label("Caption").fill(caption)
    page.get_by_role("button", name="Pin it").click()
    page.get_by_role("dialog").wait_for(state="detached")


def take(page: Page, approver: Page, address: str, sample: Path) -> None:
    sign_in(page, address, "analyst")
    study = f"{address}/studies/3"  # the two other sample studies are older
    for view, caption in (
        ("roster", "Two cannot be separated on ranking; one is better calibrated"),
        ("matrix", "Where each one errs"),
        ("curves", "Ranking, on all test rows"),
        ("cutoff", "Cutoffs chosen on tuning, read on test"),
        ("calibration", "One of them promises more than happens"),
    ):
        page.goto(f"{study}/{view}")
        pin(page, caption)
    page.goto(f"{study}/intake")
    shoot(page, "intake")
    page.goto(f"{study}/roster")
    settle(page)
    page.locator("button[data-candidate='Gradient boosting'][data-metric='precision']").click()
    page.locator("[data-part='unfolded']").wait_for()
    shoot(page, "roster")
    for view in ("matrix", "curves", "cutoff", "calibration"):
        page.goto(f"{study}/{view}{'?split=tuning' if view == 'cutoff' else ''}")
        shoot(page, view)
    page.goto(f"{study}/slices?by=district&worst=yes:recall:2&front=C")
    page.locator("[data-part='worst']").wait_for()
    shoot(page, "slices")
    missed = 'actual = "failed" and predicted(A) = "intact" and district = "Terraces"'
    page.goto(f"{study}/casebook?{urlencode({'q': missed, 'at': 4})}")
    page.locator("[data-case]").wait_for()
    page.keyboard.press("f")
    shoot(page, "casebook")
    page.goto(f"{study}/casebook?{urlencode({'read': 'map', 'line': '0.4,0.4;2.6,0.4;2.6,2.2;0.4,2.2'})}")
    page.locator("[data-part='telling']").wait_for()
    shoot(page, "map")
    page.goto(f"{study}/casebook?read=labels")
    page.locator("[data-part='lead']").wait_for()
    shoot(page, "labels")
    page.goto(f"{study}/head-to-head")
    page.locator("[data-part='scores']").wait_for()
    shoot(page, "head-to-head")
    page.goto(f"{address}/studies/2/matrix")
    shoot(page, "matrix-many")
    page.goto(f"{address}/studies/2/curves?class=rust")
    shoot(page, "curves-many")
    page.goto(f"{study}/dossier")
    page.get_by_role("button", name="Insert a draft from the numbers").click()
    page.locator("#decision").select_option("Gradient boosting")
    page.get_by_label("For which rows").fill("All street trees but Harbour, until the autumn survey.")
    page.get_by_label("Title of the report").fill("Which model should schedule limb inspections?")
    page.get_by_label("Title of the report").blur()
    shoot(page, "dossier")
    page.get_by_role("button", name="Submit for sign-off").click()
    page.get_by_role("button", name="Freeze and submit").click()
    page.locator("[data-part='stamp']").wait_for()
    sign_in(approver, address, "approver")
    approver.goto(page.url)
    shoot(approver, "sign-off")
    page.goto(f"{address}/new")
    page.get_by_label("The question").fill("Does the new survey change which trees we visit?")
    page.get_by_label("Hold-out file").set_input_files(sample / "holdout.csv")
    page.get_by_label("Candidate file").set_input_files([sample / "boosting.csv", sample / "checklist.csv"])
    page.locator("[data-candidate-row='2']").wait_for()
    shoot(page, "new-study")
    page.goto(f"{address}/")
    shoot(page, "studies")
    page.emulate_media(color_scheme="dark")
    page.goto(f"{study}/roster")
    shoot(page, "roster-dark")


def main() -> None:
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        workspace = Workspace.open(Path(folder) / "workspace")
        prepare(workspace)
        sample = write_limb_failure(Path(folder) / "sample").parent
        server = waitress.create_server(create_app(workspace), host="127.0.0.1", port=0, threads=4)
        threading.Thread(target=server.run, daemon=True).start()
        browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=ARGS)
        size: ViewportSize = {"width": 1280, "height": 800}
        pages = [browser.new_context(viewport=size, color_scheme="light").new_page() for _ in range(2)]
        take(pages[0], pages[1], f"http://127.0.0.1:{server.effective_port}", sample)
        browser.close()
        server.close()


main()
