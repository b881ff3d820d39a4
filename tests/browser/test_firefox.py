"""The page in Firefox: opened, used, looked at; it draws what it draws elsewhere, without error.

Firefox is driven by a page around ours, served on this machine alone: it clicks in the frame
and tells what it saw.
"""

import json
import os
import queue
import shutil
import subprocess
import threading
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import pytest

pytestmark = pytest.mark.browser

DRIVER = """<!doctype html><meta charset="utf-8"><iframe width="1280" height="800"></iframe><script>
const said = [];
const frame = document.querySelector("iframe");
const sleep = (ms) => new Promise((done) => setTimeout(done, ms));
const seen = async (selector) => {
  for (let i = 0; i < 200; i++, await sleep(50)) {
    const found = frame.contentDocument.querySelectorAll(selector);
    if (found.length) return found.length;
  }
  return 0;
};
const press = (name) => {
  const buttons = [...frame.contentDocument.querySelectorAll(".spread-large button")];
  buttons.find((button) => button.textContent === name).click();
};
frame.src = "page";
frame.onload = async () => {
  const inside = frame.contentWindow;
  inside.addEventListener("error", (event) => said.push(String(event.message)));
  inside.addEventListener("unhandledrejection", (event) => said.push(String(event.reason)));
  inside.addEventListener("securitypolicyviolation", (event) => said.push(event.blockedURI));
  inside.console.error = inside.console.warn = (...text) => said.push(text.join(" "));
  const found = { lines: await seen(".ledger .line"), small: await seen(".spread-small svg") };
  frame.contentDocument.querySelector("[data-column=hive_weight] .column-name").click();
  found.bars = await seen(".spread-large svg rect");
  press("cumulative");
  found.curves = await seen(".spread-large .shape-line");
  inside.location.hash = "explore";
  found.rows = await seen(".plane .dots");
  inside.location.hash = "pair/brood_frames/hive_weight";
  found.pair = await seen(".pair-figures svg");
  found.said = said;
  await fetch("told", { method: "POST", body: JSON.stringify(found) });
};
</script>"""


@pytest.fixture
def firefox():
    path = shutil.which("firefox-esr") or shutil.which("firefox")
    if path is None:
        if os.environ.get("CI") == "true":
            pytest.fail("no Firefox to test the page in, and nothing may be skipped here")
        pytest.skip("no Firefox to test the page in")
    return path


def test_firefox_draws_the_page_without_an_error(firefox, demo_comparison, tmp_path):
    page = demo_comparison.to_html().encode()
    told: queue.Queue[dict] = queue.Queue()

    class Served(BaseHTTPRequestHandler):
        def do_GET(self):
            body = {"/": DRIVER.encode(), "/page": page}.get(self.path, b"")
            self.send_response(200 if body else 404)
            self.send_header("Content-Type", "text/html; charset=utf-8")
            self.end_headers()
            self.wfile.write(body)

        def do_POST(self):
            told.put(json.loads(self.rfile.read(int(self.headers["Content-Length"]))))
            self.send_response(204)
            self.end_headers()

        def log_message(self, *_):
            pass

    server = ThreadingHTTPServer(("127.0.0.1", 0), Served)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    address = f"http://127.0.0.1:{server.server_port}/"
    environment = {**os.environ, "HOME": str(tmp_path), "MOZ_HEADLESS": "1"}
    command = [firefox, "--headless", "--no-remote", "--profile", str(tmp_path), address]
    process = subprocess.Popen(
        command, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    try:
        found = told.get(timeout=120)
    finally:
        process.terminate()
        process.wait(30)
        server.shutdown()
        server.server_close()
    assert found.pop("said") == []
    assert found.pop("lines") == len(demo_comparison.document.columns)
    assert min(found.values()) > 0, found
