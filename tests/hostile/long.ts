import { spawn } from "node:child_process";
import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import Database from "better-sqlite3";
import { campaign } from "./campaign";
import { Random } from "./random";
import { Target } from "./target";
import { setPace } from "../../scripts/sign-in.mjs";

interface Row {
  name: string;
  value: number;
  unit: string;
  better: "lower" | "higher";
  target: number;
  reference?: { name: string; value: number };
}
type Keep = (row: Row) => void;
type Say = (text: string) => void;

const REST_MS = Number(process.env.HOSTILE_REST_MS ?? 60_000);
const jsonHeaders = { "content-type": "application/json" };

/** Hostile input by every way in. */
export async function inputs(root: string, folder: string, count = 1_000_000, keep: Keep, say: Say): Promise<void> {
  const target = new Target(root, folder, 7189, 4389, 5589);
  await target.start();
  await target.settle();
  const began = Date.now();
  const outcome = await campaign(target, Date.now() % 1_000_000, count, REST_MS);
  await target.kill();
  say(JSON.stringify(outcome.byWay));
  for (const fault of outcome.faults.slice(0, 20)) say(`fault: ${fault.slice(0, 1500)}`);
  say(
    `${outcome.accepted} accepted, ${outcome.noAnswer} without an answer, ${Math.round((Date.now() - began) / 1000)} s`,
  );
  const row = (name: string, value: number, unit: string, goal: number, better: "lower" | "higher" = "lower") =>
    keep({ name, value, unit, better, target: goal });
  row("hostile inputs", outcome.inputs, "inputs", 1_000_000, "higher");
  row("crashes under hostile input", outcome.crashes, "crashes", 0);
  row("answers of 500 and faults under hostile input", outcome.faults.length, "answers", 0);
  row("refusals of hostile input", outcome.refusals, "answers", 1, "higher");
  row(
    "memory after hostile input, above that after the first tenth",
    Math.round(outcome.residentAfterMb - outcome.residentBeforeMb),
    "MB",
    50,
  );
  row("most memory under hostile input", Math.round(outcome.residentMostMb), "MB", 900);
}

const logOf = (body: string) =>
  JSON.stringify({
    resourceLogs: [
      {
        resource: { attributes: [{ key: "service.name", value: { stringValue: "shop" } }] },
        scopeLogs: [
          { logRecords: [{ timeUnixNano: `${Date.now()}000000`, severityNumber: 9, body: { stringValue: body } }] },
        ],
      },
    ],
  });
const metricOf = (name: string, value: number) =>
  JSON.stringify({
    resourceMetrics: [
      {
        resource: { attributes: [{ key: "service.name", value: { stringValue: "shop" } }] },
        scopeMetrics: [
          { metrics: [{ name, gauge: { dataPoints: [{ timeUnixNano: `${Date.now()}000000`, asDouble: value }] } }] },
        ],
      },
    ],
  });
const spanOf = (id: number) =>
  JSON.stringify({
    resourceSpans: [
      {
        resource: { attributes: [{ key: "service.name", value: { stringValue: "shop" } }] },
        scopeSpans: [
          {
            spans: [
              {
                traceId: id.toString(16).padStart(32, "a"),
                spanId: id.toString(16).padStart(16, "b"),
                name: "POST /orders",
                kind: 2,
                startTimeUnixNano: `${Date.now() - 5}000000`,
                endTimeUnixNano: `${Date.now()}000000`,
              },
            ],
          },
        ],
      },
    ],
  });
const eventOf = (id: number) =>
  JSON.stringify({
    specversion: "1.0",
    id: `e${id}`,
    source: "/ci",
    type: "example.done",
    time: new Date().toISOString(),
    data: {},
  });

/** Kills at any moment, with intake by all ways that acknowledge; what was acknowledged must be there. */
export async function kills(root: string, folder: string, count = 60, keep: Keep, say: Say): Promise<void> {
  const target = new Target(root, folder, 7189, 4389, 5589);
  const random = new Random(7);
  let slowest = 0;
  let lost = 0;
  let next = 1;
  const sure = { logs: [] as string[], spans: [] as string[], events: [] as string[], samples: 0 };
  await target.start();
  await target.settle();
  for (let round = 0; round < count; round++) {
    if (round > 0) slowest = Math.max(slowest, await target.start());
    let going = true;
    const lane = async (send: (id: number) => Promise<boolean>, mark: (id: number) => void) => {
      while (going) {
        const id = next++;
        if (await send(id)) mark(id);
      }
    };
    const post = async (path: string, body: string) => {
      const type = path === "/events" ? "application/cloudevents+json" : "application/json";
      const { status, text } = await target.deliver({ path, headers: { "content-type": type }, body });
      return status === 204 || (status === 200 && text === "{}");
    };
    const lanes = [
      lane(
        (id) => post("/v1/logs", logOf(`order ${id} taken`)),
        (id) => sure.logs.push(`order ${id} taken`),
      ),
      lane(
        (id) => post("/v1/logs", logOf(`order ${id} taken`)),
        (id) => sure.logs.push(`order ${id} taken`),
      ),
      lane(
        (id) => post("/v1/traces", spanOf(id)),
        (id) => sure.spans.push(id.toString(16).padStart(16, "b")),
      ),
      lane(
        (id) => post("/v1/metrics", metricOf("a.gauge", id)),
        () => sure.samples++,
      ),
      lane(
        (id) => post("/events", eventOf(id)),
        (id) => sure.events.push(`e${id}`),
      ),
    ];
    await new Promise((done) => setTimeout(done, 200 + random.below(1200)));
    const killed = target.kill();
    going = false;
    await killed;
    await Promise.all(lanes);
    const db = new Database(join(folder, "holotaxis.db"), { readonly: true });
    const has = (sql: string) => new Set(db.prepare(sql).pluck().all() as string[]);
    const [logs, spans, events] = [
      has("SELECT body FROM log"),
      has("SELECT lower(hex(span_id)) FROM span"),
      has("SELECT id FROM event_seen"),
    ];
    const missing = [
      ...sure.logs.filter((one) => !logs.has(one)),
      ...sure.spans.filter((one) => !spans.has(one)),
      ...sure.events.filter((one) => !events.has(one)),
    ];
    lost = missing.length;
    db.close();
    if (round % 10 === 9)
      say(
        `${round + 1} kills; ${sure.logs.length} records, ${sure.spans.length} spans, ${sure.samples} samples, ${sure.events.length} events acknowledged, ${lost} missing`,
      );
  }
  keep({ name: "kills with intake by all ways", value: count, unit: "kills", better: "higher", target: 60 });
  keep({ name: "acknowledged and missing after the kills", value: lost, unit: "records", better: "lower", target: 0 });
  keep({
    name: "slowest start after a kill",
    value: Number(slowest.toFixed(2)),
    unit: "s",
    better: "lower",
    target: 5,
  });
}

/** Ten times what it can take, for a minute. */
export async function overload(root: string, folder: string, seconds = 60, keep: Keep, say: Say): Promise<void> {
  const target = new Target(root, folder, 7189, 4389, 5589);
  await target.start();
  await target.settle();
  const RECORDS = 500;
  let taken = 0;
  let refused = 0;
  let slowest = 0;
  let unanswered = 0;
  let most = 0;
  const pages: number[] = [];
  const end = Date.now() + seconds * 1000;
  const request = (lane: number, turn: number) =>
    JSON.stringify({
      resourceLogs: [
        {
          resource: { attributes: [{ key: "service.name", value: { stringValue: `shop-${lane}` } }] },
          scopeLogs: [
            {
              logRecords: Array.from({ length: RECORDS }, (_, index) => ({
                timeUnixNano: `${Date.now()}000000`,
                severityNumber: 9,
                body: {
                  stringValue: `order ${turn} of ${index} taken at gate ${lane}, number ${turn * RECORDS + index}`,
                },
              })),
            },
          ],
        },
      ],
    });
  const lane = async (number: number) => {
    // Made once: what sends must not be slower than what takes.
    const body = request(number, 0);
    while (Date.now() < end) {
      const from = `127.7.${number >> 6}.${1 + (number & 63)}`;
      const answer = await target.deliver({ path: "/v1/logs", headers: jsonHeaders, body, from });
      slowest = Math.max(slowest, answer.tookMs);
      if (answer.status === 200) taken += RECORDS;
      else if (answer.status === 0) unanswered++;
      else refused++;
      // A sender that was told to wait comes again soon, and not at once.
      if (answer.status !== 200) await new Promise((done) => setTimeout(done, 100));
    }
  };
  const reader = async () => {
    let turn = 0;
    while (Date.now() < end) {
      const path = ["/", "/signals/logs", "/estate", "/incidents"][turn++ % 4] as string;
      pages.push((await target.ask({ path, from: "127.8.0.1" })).tookMs);
      await new Promise((done) => setTimeout(done, 200));
    }
  };
  const watch = setInterval(() => (most = Math.max(most, target.residentMb)), 200);
  await Promise.all([...Array.from({ length: 200 }, (_, index) => lane(index)), reader()]);
  clearInterval(watch);
  await target.kill();
  const db = new Database(join(folder, "holotaxis.db"), { readonly: true });
  const kept = db.prepare("SELECT count(*) FROM log").pluck().get() as number;
  db.close();
  const sorted = pages.toSorted((a, b) => a - b);
  const p95 = sorted[Math.floor(sorted.length * 0.95)] ?? 0;
  say(
    `${taken} records taken of ${taken + refused * RECORDS} sent, ${kept} kept; ${refused} requests refused, ${unanswered} unanswered`,
  );
  keep({ name: "overload: most memory", value: Math.round(most), unit: "MB", better: "lower", target: 900 });
  keep({ name: "overload: pages, p95", value: Math.round(p95), unit: "ms", better: "lower", target: 1000 });
  keep({
    name: "overload: slowest answer to a sender",
    value: Math.round(slowest),
    unit: "ms",
    better: "lower",
    target: 5000,
  });
  keep({
    name: "overload: requests without an answer",
    value: unanswered,
    unit: "requests",
    better: "lower",
    target: 0,
  });
  keep({
    name: "overload: records answered 200 that are not there",
    value: Math.max(0, taken - kept),
    unit: "records",
    better: "lower",
    target: 0,
  });
}

/** Resident memory, MB, of the process whose command line has all these words (Linux). */
function residentOf(...words: string[]): number {
  for (const pid of readdirSync("/proc").filter((name) => /^\d+$/.test(name))) {
    try {
      const line = readFileSync(`/proc/${pid}/cmdline`, "utf8");
      if (!words.every((word) => line.includes(word))) continue;
      return Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, "utf8"))?.[1] ?? 0) / 1024;
    } catch {
      // It ended meanwhile.
    }
  }
  return 0;
}

const FIRST_PACE = 6;
const PACE = 60;

/**
 * Two days of the demonstration's clock: what its memory is after the first hour and at the end. The first hour is
 * lived slowly, so that what a program takes while it warms up is taken then; the rest at sixty times real time.
 */
export async function days(root: string, folder: string, hours = 48, keep: Keep, say: Say): Promise<void> {
  const port = "7190";
  const args = [
    "--port",
    port,
    "--pace",
    String(FIRST_PACE),
    "--history",
    "PT6H",
    "--data",
    folder,
    "--otlp-port",
    "4390",
    "--grpc-port",
    "0",
    "--trap-port",
    "0",
    "--syslog-port",
    "5590",
  ];
  const demo = spawn(process.execPath, [join(root, "scripts", "demo.mjs"), ...args], { cwd: root, stdio: "ignore" });
  const memory = () => residentOf("run/server/main.js", folder);
  try {
    while (!(await fetch(`http://127.0.0.1:${port}/sign-in`).catch(() => undefined))?.ok) {
      if (demo.exitCode !== null) throw new Error("The demo did not start.");
      await new Promise((done) => setTimeout(done, 500));
    }
    let first = 0;
    for (let hour = 1; hour <= hours; hour++) {
      await new Promise((done) => setTimeout(done, 3_600_000 / (hour === 1 ? FIRST_PACE : PACE)));
      const now = memory();
      if (demo.exitCode !== null || now === 0) throw new Error(`It ended in hour ${hour}.`);
      if (hour === 1) {
        first = now;
        await setPace(`http://127.0.0.1:${port}`, PACE);
      }
      if (hour % 6 === 0 || hour === 1) say(`hour ${hour}: ${Math.round(now)} MB`);
    }
    keep({
      name: `memory after ${hours} simulated hours, beside that after the first`,
      value: Number((memory() / first).toFixed(3)),
      unit: "times",
      better: "lower",
      target: 1.1,
      reference: { name: "after the first hour, MB", value: Math.round(first) },
    });
  } finally {
    const gone = new Promise((done) => demo.once("exit", done));
    demo.kill("SIGTERM");
    await gone;
  }
}
