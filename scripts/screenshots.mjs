// Takes the pictures of docs/screenshots from the demo's data, with a fixed clock: a new demo, a drill, its repair.
import { spawn } from "node:child_process";
import { mkdirSync, mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { buildIfStale, install, root } from "./prepare.mjs";
import { signInBrowser } from "./sign-in.mjs";

install();
await buildIfStale();
const { chromium } = await import("@playwright/test");
const PORT = 7177;
const base = `http://127.0.0.1:${PORT}`;
const shots = join(root, "docs", "screenshots");
mkdirSync(shots, { recursive: true });
const data = mkdtempSync(join(tmpdir(), "holotaxis-shots-"));
const demo = spawn(
  process.execPath,
  [
    join(root, "scripts", "demo.mjs"),
    "--fresh",
    "--port",
    String(PORT),
    "--pace",
    "3",
    "--now",
    "2026-03-17T14:20:00Z",
    "--data",
    data,
    "--otlp-port",
    "4331",
    "--grpc-port",
    "0",
    "--trap-port",
    "0",
    "--syslog-port",
    "5531",
  ],
  { stdio: ["ignore", "ignore", "inherit"] },
);
const sleep = (ms) => new Promise((done) => setTimeout(done, ms));
const browser = await chromium.launch({
  executablePath: "/usr/bin/chromium",
  args: [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
  ],
});
try {
  for (;;) {
    if ((await fetch(base).catch(() => ({ ok: false }))).ok) break;
    if (demo.exitCode !== null) throw new Error("The demo did not start.");
    await sleep(500);
  }
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  const page = await context.newPage();
  const shoot = async (name) => {
    await page.getByRole("heading", { level: 1 }).waitFor();
    await page.evaluate(() => document.fonts.ready);
    await sleep(700);
    await page.screenshot({ path: join(shots, `${name}.png`) });
  };
  const take = async (path, name) => {
    await page.goto(base + path);
    await shoot(name);
  };
  await signInBrowser(context, base, "Edo Brandsma-Quill");
  await take("/", "watch");
  await page.goto(`${base}/discover`);
  await page.getByRole("button", { name: "Sweep North Quay now" }).click();
  await page.getByText(/tried 80 addresses/).waitFor({ timeout: 60_000 });
  const found = await (await page.request.get(`${base}/find?q=nq-mfx-parse-01`)).json();
  const host = found.components[0].id;
  await take("/discover", "discover");
  await take("/estate?last=PT1H", "estate");
  await page.goto(`${base}/setup/drills`);
  await page.getByRole("button", { name: "Start: The manifest parser leaks memory" }).click();
  await page.goto(base);
  await page.getByText(/: 1 open incident, the worst “Manifest Exchange/).waitFor({ timeout: 120_000 });
  await shoot("watch-trouble");
  await take(`/estate/${host}?last=PT3H`, "component");
  const open = "layer:data/kind:db.relational";
  await take(`/map?${new URLSearchParams({ open, show: `g${open}` })}`, "map");
  await take("/incidents", "incidents");
  await page.getByRole("link", { name: "Manifest Exchange: memory is running out on nq-mfx-parse-01" }).first().click();
  await page.getByRole("heading", { name: /^Top processes by memory/ }).waitFor();
  await shoot("incident");
  await page.getByRole("link", { name: "Restart a service …" }).click();
  await shoot("runbook");
  await page.getByRole("button", { name: "Start run" }).click();
  await page.getByRole("heading", { level: 1, name: /succeeded/ }).waitFor({ timeout: 120_000 });
  await shoot("run");
  await take("/services/manifest-exchange?last=PT6H", "service");
  await take("/runbooks/policies", "policies");
  await take(
    "/signals/metrics?last=P1D&line=metric~memory.used%3Bpick~highest%3Bcount~6&line=metric~net.in%3Bfold~sum%3Baxis~right&over=day",
    "metrics",
  );
  await take("/estate/spend?by=service", "spend");
  await take("/signals/logs?last=PT12H", "logs");
  await take("/signals/traces?last=PT2H", "traces");
  await take("/on-call", "on-call");
  await page.goto(base);
  await page.getByRole("button", { name: "Night theme" }).click();
  await take("/map?service=manifest-exchange", "map-night");
  await page.getByRole("button", { name: "Day theme" }).click();
  await signInBrowser(context, base, "Sunniva Okafor");
  await take("/estate/platforms", "platforms");
} finally {
  await browser.close();
  const gone = new Promise((done) => demo.once("exit", done));
  demo.kill("SIGTERM");
  await gone;
  rmSync(data, { recursive: true, force: true });
}
process.stdout.write("pictures are in docs/screenshots\n");
