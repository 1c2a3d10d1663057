// What a large map costs in the browser: until its cards stand, and how smoothly it is moved.
import { chromium } from "@playwright/test";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { bundle } from "../scripts/bundle.mjs";
import { root } from "../scripts/prepare.mjs";
import { startServer } from "./own-server.mjs";
import { headers } from "./pages.mjs";

const COMPONENTS = 5_000;
const RELATIONS = 15_000;
const LOOKS = 9;
const STEPS = 120;
/** All six sites open, and in each the kinds that it has. */
const OPEN = `by=site,kind&${Array.from({ length: 6 }, (_, hall) =>
  ["", "/kind:app.process", "/kind:web.server", "/kind:queue.broker"].map(
    (kind) => `open=${encodeURIComponent(`site:Hall ${hall}${kind}`)}`,
  ),
)
  .flat()
  .join("&")}`;

const median = (values) => values.toSorted((a, b) => a - b)[values.length >> 1];

/** From the beginning of the navigation until cards have been drawn in a frame, ms. */
async function paintOf(page, address, card) {
  await page.goto(address, { waitUntil: "commit" });
  return page.evaluate(
    (wanted) =>
      new Promise((done) => {
        const look = () =>
          document.querySelector(wanted)
            ? requestAnimationFrame(() => requestAnimationFrame(() => done(performance.now())))
            : requestAnimationFrame(look);
        look();
      }),
    card,
  );
}

/** Times between frames while the map is dragged to and fro, ms. */
async function framesOf(page) {
  const box = await page.locator(".hx-map").boundingBox();
  await page.mouse.move(box.x + box.width - 30, box.y + 20);
  await page.mouse.down();
  const frames = page.evaluate(
    (count) =>
      new Promise((done) => {
        const times = [];
        let before = 0;
        const next = (now) => {
          times.push(now - before);
          before = now;
          if (times.length < count) requestAnimationFrame(next);
          else done(times.slice(1));
        };
        requestAnimationFrame(next);
      }),
    STEPS,
  );
  for (let step = 0; step < STEPS / 2; step++)
    await page.mouse.move(box.x + box.width - 30 - (step % 30) * 8, box.y + 20 + (step % 30) * 4);
  const times = await frames;
  await page.mouse.up();
  return times;
}

/** @param keep takes a measurement */
export async function measureMapPaint({ folder, keep }) {
  const { fillLargeMap } = await import(pathToFileURL(await bundle("bench/estate-store.ts", "bench-estate.js")).href);
  const data = join(folder, "large-map");
  fillLargeMap(root, data, COMPONENTS, RELATIONS);
  const server = await startServer(data, { port: 7187, syslog: 0 });
  const browser = await chromium.launch({
    executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
    args: ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking"],
  });
  try {
    const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
    const [name, value] = headers.cookie.split("=");
    await context.addCookies([{ name, value, url: server.base, httpOnly: true, sameSite: "Strict" }]);
    const page = await context.newPage();
    const size = `${COMPONENTS.toLocaleString("en-GB")} components with ${RELATIONS.toLocaleString("en-GB")} relations`;
    const looksOf = async (address, card) => {
      const times = [];
      for (let look = -2; look < LOOKS; look++) {
        const ms = await paintOf(page, server.base + address, card);
        if (look >= 0) times.push(ms);
      }
      return median(times);
    };
    const plain = await looksOf("/setup", "h1");
    const reference = { name: "a page of this application without a map", value: plain };
    const rows = [
      ["first paint of the map", "/map"],
      ["first paint of the map with 24 groups open", `/map?${OPEN}`],
    ];
    for (const [name, address] of rows)
      keep({
        name: `${name} of ${size}`,
        value: await looksOf(address, ".hx-node"),
        unit: "ms",
        better: "lower",
        target: 1000,
        reference,
      });
    await page.waitForFunction(() => document.documentElement.hasAttribute("data-alive"));
    const cards = await page.locator(".hx-node").count();
    const moved = await framesOf(page);
    await page.goto(`${server.base}/setup`);
    const still = await page.evaluate(
      (count) =>
        new Promise((done) => {
          const times = [];
          const next = (now) => (times.push(now) < count ? requestAnimationFrame(next) : done(times));
          requestAnimationFrame(next);
        }),
      STEPS,
    );
    keep({
      name: `frame while a map of ${size} is moved, ${cards} cards drawn, median`,
      value: median(moved),
      unit: "ms",
      better: "lower",
      // Sixty frames a second.
      target: 16.7,
      reference: {
        name: "a frame of a page on which nothing moves",
        value: median(still.slice(1).map((at, index) => at - still[index])),
      },
    });
  } finally {
    await browser.close();
    await server.end();
  }
}
