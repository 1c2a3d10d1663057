// Pages at about a thousand components, measured in three ways: the whole page from the server, the data alone (what a
// move inside the application asks for), and from the click to the painted page in a headless Chromium.
import { chromium } from "@playwright/test";
import { signInBrowser } from "../scripts/sign-in.mjs";

const SAMPLES = 100;
const CLICKS = 30;

const quantile = (values, q) =>
  [...values].sort((a, b) => a - b)[Math.min(values.length - 1, Math.floor(values.length * q))];

/** What every request brings: the cookie of whoever is signed in. */
export const headers = {};

export async function timed(url) {
  const began = performance.now();
  const response = await fetch(url, { headers });
  if (response.status === 429) {
    // A quick machine asks more than one client may; the wait is not part of what is measured.
    const seconds = Number(response.headers.get("retry-after") ?? 5);
    await new Promise((done) => setTimeout(done, seconds * 1000));
    return timed(url);
  }
  const bytes = (await response.arrayBuffer()).byteLength;
  if (!response.ok) throw new Error(`${url} answered ${response.status}`);
  return { ms: performance.now() - began, bytes };
}

/** Address of the data of a page, as the router's own moves ask for it. */
export function dataAddress(path) {
  const [name, search = ""] = path.split("?");
  return `${name === "/" ? "/_root" : name}.data${search ? `?${search}` : ""}`;
}

/** Times of one address after some to warm up: p50 and p95 in milliseconds, and the bytes of the answer. */
export async function timesOf(url) {
  for (let warm = 0; warm < 5; warm++) await timed(url);
  const times = [];
  let bytes = 0;
  for (let index = 0; index < SAMPLES; index++) {
    const one = await timed(url);
    times.push(one.ms);
    bytes = one.bytes;
  }
  return { p50: quantile(times, 0.5), p95: quantile(times, 0.95), bytes };
}

/**
 * From a click on a link to the frame after the new page stands: its heading has replaced the old one and two frames
 * have been drawn; and on to the frame in which all charts in sight are drawn. The link is put into the page; what follows the click is the application's own way.
 */
async function clicks(page, path) {
  return page.evaluate(
    (address) =>
      new Promise((done) => {
        const old = document.querySelector("h1");
        const link = document.createElement("a");
        link.className = "hx-link";
        link.setAttribute("href", address);
        document.querySelector("main").append(link);
        const began = performance.now();
        const look = () => {
          if (old.isConnected || document.querySelector("h1") === null) return void requestAnimationFrame(look);
          requestAnimationFrame(() =>
            requestAnimationFrame(() => {
              const painted = performance.now() - began;
              // Charts in sight come right after the page that holds them.
              const drawn = () =>
                inSight()
                  ? requestAnimationFrame(drawn)
                  : requestAnimationFrame(() => done({ painted, drawn: performance.now() - began }));
              drawn();
            }),
          );
        };
        const inSight = () =>
          [...document.querySelectorAll("main [data-room]")].some((one) => {
            const { top, bottom } = one.getBoundingClientRect();
            return top < innerHeight && bottom > 0;
          });
        link.click();
        link.remove();
        requestAnimationFrame(look);
      }),
    path,
  );
}

async function clicksOf(browser, base, pages) {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  await signInBrowser(context, base);
  const page = await context.newPage();
  await page.goto(`${base}/setup`, { waitUntil: "networkidle" });
  const painted = {};
  for (const [name, path] of Object.entries(pages)) {
    const times = [];
    for (let index = -2; index < CLICKS; index++) {
      const one = await clicks(page, path);
      if (index >= 0) times.push(one);
      await clicks(page, "/setup");
    }
    const of = (what) => {
      const values = times.map((one) => one[what]);
      return { p50: quantile(values, 0.5), p95: quantile(values, 0.95) };
    };
    painted[name] = { painted: of("painted"), drawn: of("drawn") };
  }
  await context.close();
  return painted;
}

/**
 * @param pages name to path @returns one row a page: whole, data (p50, p95 in ms; bytes) painted and drawn (p50, p95 in ms)
 */
export async function measurePages(base, pages) {
  const browser = await chromium.launch({
    executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
    args: ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking"],
  });
  try {
    const rows = [];
    for (const [name, path] of Object.entries(pages))
      rows.push({ name, whole: await timesOf(base + path), data: await timesOf(base + dataAddress(path)) });
    const painted = await clicksOf(browser, base, pages);
    return rows.map((row) => ({ ...row, ...painted[row.name] }));
  } finally {
    await browser.close();
  }
}
