import { spawn } from "node:child_process";
import { mkdirSync, mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from "node:fs";
import type { AddressInfo } from "node:net";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { MessageChannel } from "node:worker_threads";
import { afterEach, beforeEach, expect, it } from "vitest";
import { Engine } from "#server/engine/engine";
import { questions } from "#server/pages/registry";
import { IngestChannel } from "#server/receivers/channel";
import { receiveOtlp } from "#server/receivers/http";
import { SenderTokens } from "#server/receivers/sender-tokens";
import { storeFile } from "#server/settings";
import { openStore, type Db } from "#server/store/database";
import { TESTER, until } from "./world";
import { settingsAt } from "../settings";

const CONTAINER = "5e".repeat(32);
let folder: string;
let engine: Engine;
let server: ReturnType<typeof receiveOtlp>;
let reader: Db;
let base: string;
let agent: ReturnType<typeof spawn> | undefined;

beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
  const settings = settingsAt(folder);
  engine = new Engine(settings, () => undefined);
  const { port1, port2 } = new MessageChannel();
  engine.attach(port1);
  const channel = new IngestChannel(port2, Date.now, () => undefined);
  const tokens = new SenderTokens(false, Date.now);
  channel.onTokens = (list) => tokens.take(list);
  server = receiveOtlp(channel, tokens);
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  reader = openStore(storeFile(settings), "reader");
});
afterEach(async () => {
  agent?.kill("SIGKILL");
  reader.close();
  server.closeAllConnections();
  await new Promise<void>((resolve) => server.close(() => resolve()));
  await engine.close();
  rmSync(folder, { recursive: true, force: true });
});

/** A machine of files, as the agent sees one under --root. */
function machine(): { root: string; put: (path: string, text: string) => void } {
  const root = join(folder, "machine");
  const put = (path: string, text: string) => {
    mkdirSync(dirname(join(root, path)), { recursive: true });
    writeFileSync(join(root, path), text);
  };
  put("proc/stat", "cpu  100 0 0 900 0 0 0 0 0 0\ncpu0 100 0 0 900 0 0 0 0 0 0\n");
  put("proc/meminfo", "MemTotal: 1000 kB\nMemAvailable: 40 kB\n");
  put("proc/net/dev", "");
  put("proc/mounts", "");
  put("etc/hostname", "winch-03.example\n");
  put("etc/machine-id", "0123456789abcdef0123456789abcdef\n");
  const group = `sys/fs/cgroup/work/${CONTAINER}`;
  put(`${group}/cpu.stat`, "usage_usec 1\nnr_periods 10\nnr_throttled 0\n");
  put(`${group}/cpu.max`, "50000 100000\n");
  put(`${group}/memory.current`, "950\n");
  put(`${group}/memory.max`, "1000\n");
  put(`${group}/cgroup.procs`, "77\n");
  put("proc/77/comm", "ropelog\n");
  return { root, put };
}

/** A code with which one agent can enrol. */
const enrolmentCode = () => engine.command(TESTER, "enrolment.create", { hosts: 1, days: 1 });

function start(root: string, ...more: string[]): { said: () => string } {
  let text = "";
  agent = spawn(
    process.execPath,
    ["build/run/agent/main.js", "--to", base, "--every", "1", "--root", root, "--site", "Winch house", ...more],
    { stdio: ["ignore", "pipe", "pipe"] },
  );
  agent.stdout?.on("data", (part: Buffer) => (text += part.toString()));
  agent.stderr?.on("data", (part: Buffer) => (text += part.toString()));
  return { said: () => text };
}

const estate = () =>
  questions.estate(reader, {
    atMs: Date.now(),
    search: "",
    kind: "",
    site: "",
    health: "",
    sort: "name",
    descending: false,
    page: 0,
    pageSize: 50,
  }).rows;

it("the agent's machine and its containers come under watch by themselves, and their limits are kept watch over", async () => {
  const { root } = machine();
  const kept = join(folder, "token");
  const { said } = start(root, "--token-file", kept, "--enrol", await enrolmentCode());
  await until("the agent enrols", () => said().includes("Enrolled; the token is kept in"));
  expect(statSync(kept).mode & 0o777).toBe(0o600);
  const rows = await until("the machine is found", () => (estate().length === 2 ? estate() : undefined));
  expect(rows.map((row) => [row.name, row.kind, row.site])).toEqual([
    ["ropelog @ winch-03", "app.container", "Winch house"],
    ["winch-03", "host.linux", "Winch house"],
  ]);
  engine.start();
  // Memory at 96 % of the machine and 95 % of the container's limit: both rules fire without a sweep or a poll.
  await until("alarms are raised", () => {
    const unwell = estate().filter((row) => row.severity !== "cleared");
    return unwell.length === 2 ? unwell : undefined;
  });
  const page = questions.component(reader, {
    id: rows[0]?.id as number,
    atMs: Date.now(),
    fromMs: Date.now() - 60_000,
    toMs: Date.now(),
  });
  expect(page?.carriers.map((carrier) => [carrier.name, carrier.how])).toEqual([["winch-03", "runs on"]]);
  expect(page?.charts.find((chart) => chart.metric === "container.memory.used")?.legend.last).toBe(95);
  const host = questions.component(reader, {
    id: rows[1]?.id as number,
    atMs: Date.now(),
    fromMs: Date.now() - 60_000,
    toMs: Date.now(),
  });
  expect(host?.charts.find((chart) => chart.metric === "memory.used")?.legend.last).toBe(96);
  expect(host?.charts.find((chart) => chart.metric === "reachable")?.legend.last).toBe(1);
  // One thing is wrong with the machine and one with what runs on it; they are one incident, for one relies on the
  // other.
  expect(questions.incidents(reader, { fromMs: 0, toMs: Date.now(), state: "open" })).toHaveLength(1);
});

it("a code is good for as many hosts as it was made for; the next one is turned away, and the agent says so", async () => {
  const code = await enrolmentCode();
  const { root } = machine();
  const first = start(root, "--token-file", join(folder, "token"), "--enrol", code);
  await until("the agent enrols", () => first.said().includes("Enrolled"));
  agent?.kill("SIGKILL");
  const second = start(root, "--token-file", join(folder, "other"), "--enrol", code);
  await until("the second is refused", () => second.said().includes("used up, too old or wrong"));
});

const resource = (attributes: Record<string, string>) => ({
  attributes: Object.entries(attributes).map(([key, stringValue]) => ({ key, value: { stringValue } })),
});
const aRecord = (attributes: Record<string, string>) => ({
  resourceLogs: [
    {
      resource: resource(attributes),
      scopeLogs: [{ logRecords: [{ timeUnixNano: `${Date.now()}000000`, body: { stringValue: "hello" } }] }],
    },
  ],
});
const send = async (token: string, attributes: Record<string, string>) => {
  const answer = await fetch(`${base}/v1/logs`, {
    method: "POST",
    body: JSON.stringify(aRecord(attributes)),
    headers: { "content-type": "application/json", authorization: `Bearer ${token}` },
  });
  return [
    answer.status,
    ((await answer.json()) as { partialSuccess?: { errorMessage?: string } }).partialSuccess?.errorMessage,
  ];
};
const IMPOSTOR = {
  "host.name": "vault-01.example",
  "host.ip": "192.0.2.66",
  "os.type": "linux",
  "telemetry.distro.name": "holotaxis-agent",
};

it("nobody plants a host by saying that our agent runs there: not with a token for sending, not as another agent", async () => {
  const { code } = await engine.command(TESTER, "token.create", {
    name: "shop",
    scope: { kind: "send", signals: ["logs"], senders: "*" },
    days: 1,
  });
  expect(await send(code, IMPOSTOR)).toEqual([200, expect.stringContaining("with the token of that agent only")]);
  const enrolled = await fetch(`${base}/enrol`, {
    method: "POST",
    body: JSON.stringify({ code: await enrolmentCode(), hostName: "winch-03.example", hostId: "w3" }),
  });
  const { token } = (await enrolled.json()) as { token: string };
  expect(await send(token, IMPOSTOR)).toEqual([200, expect.stringContaining("for the agent of winch-03.example only")]);
  expect(await send(token, { ...IMPOSTOR, "host.name": "winch-03.example", "host.id": "other" })).toEqual([
    200,
    expect.stringContaining("for the agent of winch-03.example only"),
  ]);
  expect(estate()).toEqual([]);
  // What it may: to say the same of its own host.
  expect(await send(token, { ...IMPOSTOR, "host.name": "winch-03.example", "host.id": "w3" })).toEqual([
    200,
    undefined,
  ]);
  expect(estate().map((row) => row.name)).toEqual(["winch-03"]);
});

it("a token is for its kinds of signals and its senders, and until it is revoked", async () => {
  const { code, id } = await engine.command(TESTER, "token.create", {
    name: "shop",
    scope: { kind: "send", signals: ["logs"], senders: "shop-*, till" },
    days: null,
  });
  expect(await send(code, { "service.name": "till" })).toEqual([200, undefined]);
  expect(await send(code, { "service.name": "x", "host.name": "SHOP-01" })).toEqual([200, undefined]);
  expect((await send(code, { "service.name": "bakery" }))[1]).toContain("senders named shop-*, till only");
  const metrics = await fetch(`${base}/v1/metrics`, {
    method: "POST",
    body: JSON.stringify({
      resourceMetrics: [
        {
          resource: resource({ "service.name": "till" }),
          scopeMetrics: [
            {
              metrics: [
                {
                  name: "a",
                  gauge: {
                    dataPoints: [
                      { timeUnixNano: `${Date.now()}000000`, asInt: 1 },
                      { timeUnixNano: `${Date.now()}000001`, asInt: 2 },
                    ],
                  },
                },
              ],
            },
          ],
        },
      ],
    }),
    headers: { "content-type": "application/json", authorization: `Bearer ${code}` },
  });
  expect(await metrics.json()).toEqual({
    partialSuccess: { rejectedDataPoints: "2", errorMessage: "2: This token is for logs, not for metrics." },
  });
  await engine.command(TESTER, "token.revoke", { id });
  await until("it is known that it is revoked", async () => (await send(code, { "service.name": "till" }))[0] === 401);
});

it("who does not present a token is turned away with a sentence, and the agent says so", async () => {
  const { root } = machine();
  const { said } = start(root);
  await until("the agent complains", () => said().includes("will not take a report (401): "));
  expect(said()).toContain("Present a token that is good for sending");
  expect(estate()).toEqual([]);
  const answer = await fetch(`${base}/v1/logs`, {
    method: "POST",
    body: "{}",
    headers: { "content-type": "application/json", authorization: "Bearer something else" },
  });
  expect(answer.status).toBe(401);
  expect(answer.headers.get("www-authenticate")).toBe("Bearer");
});

/** Runs the installer that the receiver hands out, as a person would, but below a folder. */
const install = (...args: string[]) =>
  new Promise<string>((resolve) => {
    const child = spawn("sh", ["-c", `curl -fsS ${base}/agent.sh | sh -s -- "$@"`, "sh", ...args], {
      env: { ...process.env, HOLOTAXIS_PREFIX: join(folder, "disk") },
      stdio: ["ignore", "pipe", "pipe"],
    });
    let text = "";
    for (const stream of [child.stdout, child.stderr]) stream.on("data", (part: Buffer) => (text += part.toString()));
    child.on("close", (code) => resolve(`${code} ${text.trim()}`));
  });

it("is installed by one command with a code, and brought up to date by the same without one", async () => {
  const disk = join(folder, "disk");
  const first = await install(base, await enrolmentCode(), "Winch house");
  expect(first).toContain("0 Enrolled; the token is kept in");
  const token = readFileSync(join(disk, "etc/holotaxis-agent/token"), "utf8");
  expect(statSync(join(disk, "etc/holotaxis-agent/token")).mode & 0o777).toBe(0o600);
  expect(readFileSync(join(disk, "opt/holotaxis-agent/main.mjs"), "utf8")).toBe(
    readFileSync("build/run/agent/main.js", "utf8"),
  );
  const unit = () => readFileSync(join(disk, "etc/systemd/system/holotaxis-agent.service"), "utf8");
  const starts = `--to "${base}" --token-file %d/token --site "Winch house"\n`;
  expect(unit()).toContain(starts);
  expect(await install(base)).toMatch(/^0 /);
  expect(unit()).toContain(starts);
  expect(readFileSync(join(disk, "etc/holotaxis-agent/token"), "utf8")).toBe(token);
});

it("is not installed with what is no URL, or would be a command", async () => {
  expect(await install("nowhere")).toContain("2 Say where signals are taken");
  expect(await install(base, "x", '"; touch y; "')).toContain("2 The URL and the site may have");
  expect(await install(base)).toContain("2 Give an enrolment code");
});

it("a wrong word on the command line is a sentence, not a trace", async () => {
  const ended = (...args: string[]) =>
    new Promise<string>((resolve) => {
      let text = "";
      const child = spawn(process.execPath, ["build/run/agent/main.js", ...args], {
        stdio: ["ignore", "ignore", "pipe"],
      });
      child.stderr?.on("data", (part: Buffer) => (text += part.toString()));
      child.on("exit", (code) => resolve(`${code} ${text.trim()}`));
    });
  expect(await ended("--every", "0")).toBe("2 “0” is not an interval. Use whole seconds from 1 to 3600.");
  expect(await ended("--to", "nowhere")).toBe("2 “nowhere” is not an address. Write it like http://127.0.0.1:4318.");
  expect(await ended("--root", join(folder, "no-such"))).toContain("this agent is for Linux");
});

it("does what the owner of its host allows when a runbook asks, and nothing else", async () => {
  const { root } = machine();
  const kept = join(folder, "token");
  const actions = join(folder, "actions.json");
  writeFileSync(
    actions,
    JSON.stringify({
      "tidy-spool": { argv: ["/bin/sh", "-c", `echo tidied; touch ${join(folder, "tidied")}`] },
      "look-badly": { argv: ["/bin/false"] },
    }),
    { mode: 0o644 },
  );
  const { said } = start(root, "--token-file", kept, "--enrol", await enrolmentCode(), "--actions", actions);
  await until("the agent enrols", () => said().includes("Enrolled; the token is kept in"));
  const rows = await until("the machine is found", () => (estate().length === 2 ? estate() : undefined));
  const host = rows.find((row) => row.kind === "host.linux")?.id as number;
  let count = 0;
  const runOf = async (action: string) => {
    const { id, version } = (await engine.command(TESTER, "runbook.save", {
      text: `uid: ask-${++count}\nname: Ask ${count}\npurpose: Asks.\nkinds: [host.linux]\nsteps:\n  - {type: agent, title: Ask it, action: ${action}}\n`,
      remark: "",
    })) as { id: number; version: number };
    const run = (await engine.command(TESTER, "run.start", {
      runbookId: id,
      version,
      componentIds: [host],
      incidentId: null,
      args: {},
    })) as number;
    return until("the run ends", () => {
      const page = questions.run(reader, { id: run });
      return page && page.run.state !== "running" ? page : undefined;
    });
  };
  const before = await runOf("tidy-spool");
  // It may not have asked for the first time yet.
  if (before.run.state === "failed") expect(before.run.message).toContain("has no agent that asked lately");
  const done = await until("the agent asks", async () => {
    const page = await runOf("tidy-spool");
    return page.run.state === "passed" ? page : undefined;
  });
  expect(done.steps[0]).toMatchObject({ exit_code: 0, output: "tidied\n" });
  expect(statSync(join(folder, "tidied")).isFile()).toBe(true);
  expect((await runOf("look-badly")).run.message).toContain("The action ended with exit code 1.");
  expect((await runOf("reboot-all")).run.message).toContain(
    "does not allow “reboot-all”; allowed are tidy-spool, look-badly.",
  );
  // Another host's token, or that of a sender, gets nothing to do.
  const ask = async (token: string, hostName: string) =>
    (
      await fetch(`${base}/actions`, {
        method: "POST",
        headers: { authorization: `Bearer ${token}` },
        body: JSON.stringify({ hostName, actions: [] }),
      })
    ).status;
  const own = readFileSync(kept, "utf8").trim();
  expect([await ask(own, "other"), await ask("x".repeat(40), "winch-03.example")]).toEqual([403, 401]);
}, 60_000);
