// Pages while 200 runs are under way at once, beside the same pages before, in the same estate.
import { dataAddress, headers, timesOf } from "./pages.mjs";

const RUNS = 200;
/** Says something and waits, again and again, for some ten minutes: longer than the pages are measured. */
const STEPS = 20;
const WAIT_SECONDS = 30;
const AS_BEFORE = 1.25;
const PAGES = { Watch: "/", Estate: "/estate?size=100", Incidents: "/incidents", Runbooks: "/runbooks" };

const runbook = () =>
  [
    "uid: bench-look",
    "name: Say again and again",
    "purpose: Says something and waits, for the bench.",
    `kinds: ["*"]`,
    "steps:",
    ...Array.from({ length: STEPS }, (_, index) => [
      `  - { type: note, title: Say ${index + 1}, text: "{{target.name}}" }`,
      `  - { type: wait, title: Wait ${index + 1}, seconds: ${WAIT_SECONDS} }`,
    ]).flat(),
  ].join("\n");

/** Sends a form as a page does; where it leads. */
async function send(url, fields) {
  const answer = await fetch(url, { method: "POST", headers, redirect: "manual", body: new URLSearchParams(fields) });
  const to = answer.headers.get("location");
  if (to === null) throw new Error(`${url} answered ${answer.status}: ${(await answer.text()).slice(0, 300)}`);
  return to;
}

/** Numbers of components of the estate, from its list. */
async function targetsOf(base) {
  const ids = new Set();
  for (let page = 1; ids.size < RUNS && page < 30; page++) {
    const html = await (await fetch(`${base}/estate?size=100&page=${page}`, { headers })).text();
    for (const [, id] of html.matchAll(/href="\/estate\/(\d+)/g)) ids.add(id);
  }
  return [...ids].slice(0, RUNS);
}

async function timesOfAll(base) {
  const times = {};
  for (const [name, path] of Object.entries(PAGES))
    times[name] = { whole: await timesOf(base + path), data: await timesOf(base + dataAddress(path)) };
  return times;
}

/** @returns one row a page and way: p95 in ms before and beside the runs; throws where those were over too early */
export async function measureBesideRuns(base) {
  const all = await targetsOf(base);
  if (all.length < RUNS) throw new Error(`The estate lists only ${all.length} components to run something on.`);
  const before = await timesOfAll(base);
  const made = new URL(await send(`${base}/runbooks/new`, { text: runbook(), remark: "" }), base);
  const version = made.searchParams.get("version");
  const runs = [];
  for (const targets of all)
    runs.push(await send(base + made.pathname, { intent: "start", targets, incident: "", version, atOnce: "1" }));
  const beside = await timesOfAll(base);
  let running = 0;
  for (const run of runs) {
    const html = await (await fetch(base + run, { headers })).text();
    if (html.includes("Stop run")) running++;
  }
  if (running < RUNS) throw new Error(`Only ${running} of ${RUNS} runs were still under way after the pages.`);
  return Object.keys(PAGES).flatMap((name) =>
    ["whole", "data"].map((way) => ({
      name: `${way === "whole" ? "whole page" : "data alone"}, p95, of ${name}`,
      before: before[name][way].p95,
      beside: beside[name][way].p95,
      target: before[name][way].p95 * AS_BEFORE,
    })),
  );
}
