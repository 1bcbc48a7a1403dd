"""A real server over a fresh workspace, and Debian's Chromium to use it with."""

from __future__ import annotations

import contextlib
import os
import shutil
import threading
from collections import defaultdict

import pytest
import waitress
from playwright.sync_api import expect, sync_playwright
from sqlmodel import select

from conftest import PASSWORD
from skarlo.studies.records import User
from skarlo.studies.workspace import Workspace
from skarlo.web import security
from skarlo.web.app import STATIC, create_app
from skarlo.web.demo import bring_in

ARGS = [
    "--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update", "--disable-sync",
    "--no-first-run",
]  # fmt: skip
PATIENCE = float(os.environ.get("PATIENCE", "60000"))  # ms: a shared machine may be many times slower than one's own
expect.set_options(timeout=PATIENCE)


@pytest.fixture(scope="session")
def chromium():
    path = shutil.which("chromium")
    assert path, "Chromium is needed on the path: install Debian's package chromium"
    assert (STATIC / "index.html").exists(), "the front end is not built: make build"
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=path, args=ARGS)
        yield browser
        browser.close()


class Server:
    """A running server: its address and its workspace. One that is lasting serves many tests."""

    def __init__(self, peopled, folder, lasting=False):
        self.workspace = Workspace.open(shutil.copytree(peopled, folder / "workspace"))
        self.lasting = lasting
        self.signed_in = {}  # by name: the cookies of a browser in which that person is signed in
        self.idle = defaultdict(list)  # by name: browsers that no test uses now, as new
        app = create_app(self.workspace)
        self.server = waitress.create_server(app, host="127.0.0.1", port=0, threads=4)
        self.address = f"http://127.0.0.1:{self.server.effective_port}"
        threading.Thread(target=self.run, daemon=True).start()

    def run(self):
        with contextlib.suppress(OSError):  # the socket was closed: that is how it is stopped
            self.server.run()

    def stop(self):
        # whoever still answers is waited for: its word that it is done goes to a file number, which the next may have
        self.server.task_dispatcher.shutdown()
        self.server.close()


@pytest.fixture(scope="session")
def shared(peopled, tmp_path_factory):
    running = Server(peopled, tmp_path_factory.mktemp("shared"), lasting=True)
    yield running
    running.stop()


@pytest.fixture
def server(request):
    """The server that all tests of a worker share, each with its own study; or a new one, where a test asks for it."""
    if request.node.get_closest_marker("own_server") is None:
        running = request.getfixturevalue("shared")
        security.limiter.reset()
        yield running
        return
    running = Server(request.getfixturevalue("peopled"), request.getfixturevalue("tmp_path"))
    yield running
    running.stop()


def brought(server, path):
    """The address of a study that ana made of a study file."""
    with server.workspace.writing() as records:
        ana = records.exec(select(User).where(User.name == "ana")).one()
    return f"{server.address}/studies/{bring_in(server.workspace, path, ana)}"


def sign_in(page, name):
    page.get_by_label("Name").fill(name)
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()


def api(study):
    """Where the HTTP interface answers about the study of an address."""
    return study.replace("/studies/", "/api/v1/studies/")


def held_back(page, what):
    """What a page asks for is sent on only once the event is set that this gives."""
    go = threading.Event()

    def wait(route):
        while not go.is_set():
            page.wait_for_timeout(20)
        route.continue_()

    page.route(what, wait)
    return go


def browser_of(chromium, server, name, **how):
    """A browser of its own in which somebody is signed in."""
    context = chromium.new_context(viewport={"width": 1280, "height": 800}, **how)
    context.set_default_timeout(PATIENCE)
    if name not in server.signed_in:
        session = f"{server.address}/api/v1/session"
        token = {"X-CSRFToken": context.request.get(session).json()["csrf"]}
        assert context.request.post(session, data={"name": name, "password": PASSWORD}, headers=token).ok
        server.signed_in[name] = context.cookies()
    context.add_cookies(server.signed_in[name])
    return context


def as_new(context, server, name):
    """Close what a test opened in a browser and take away what it left there; a new one takes a second to start."""
    session = context.new_cdp_session(context.pages[0])
    session.send("Storage.clearDataForOrigin", {"origin": server.address, "storageTypes": "all"})
    for page in context.pages:
        page.close()
    context.clear_cookies()
    context.add_cookies(server.signed_in[name])
    server.idle[name].append(context)


@pytest.fixture
def person(chromium, server):
    """Open a page in a browser of one's own, signed in; any error on the page fails the test."""
    opened, faults = [], []

    def open_as(name, **how):
        idle = server.idle[name]
        context = idle.pop() if idle and not how else browser_of(chromium, server, name, **how)
        opened.append((name, context, bool(how)))
        page = context.new_page()
        page.on("pageerror", lambda e: faults.append(str(e)))
        page.on("console", lambda m: faults.append(m.text) if m.type == "error" and "status of" not in m.text else None)
        return page

    yield open_as
    for name, context, special in opened:
        if special or not server.lasting:
            context.close()
        else:
            as_new(context, server, name)
    assert faults == []
