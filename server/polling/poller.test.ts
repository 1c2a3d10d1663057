import { beforeEach, describe, expect, it } from "vitest";
import { FingerprintBook } from "#core/estate/fingerprints";
import { useStore } from "../../tests/store";
import { SampleWriter } from "../ingest/sample-writer";
import type { SourceTools } from "../sources/driver";
import type { Vault } from "../vault/vault";
import type { Db } from "../store/database";
import { changesIn } from "../store/changes";
import { insertComponent } from "../store/estate";
import { saveService } from "../store/services";
import { readSamples, seriesOfComponent, seriesOfMetric, seriesOfService } from "../store/signals";
import { insertSource } from "../store/sources";
import type { HostPoll } from "#core/telemetry/poll";
import { Poller, type PolledHost } from "./poller";

const NO_TOOLS: SourceTools = {
  book: new FingerprintBook({}),
  hostKeys: { known: () => undefined, met: () => undefined },
  mapping: () => undefined,
  now: () => 0,
};
const START = Date.parse("2026-03-17T10:00:00Z");
const VAULT: Pick<Vault, "ofSource"> = { ofSource: () => [] };
const EMPTY: HostPoll = { processorLoads: [], storage: [], interfaces: [], processes: [] };

let db: Db;
let writer: SampleWriter;
let seen: number[];
let poller: Poller;
let sourceId: number;
let heldUp: number;
useStore((made) => (db = made));
beforeEach(() => {
  db.exec(
    `DELETE FROM change; DELETE FROM chunk; DELETE FROM series; DELETE FROM component_key; DELETE FROM component; DELETE
     FROM source; DELETE FROM service`,
  );
  writer = new SampleWriter(db);
  seen = [];
  poller = new Poller(
    db,
    VAULT,
    writer,
    (id) => seen.push(id),
    () => 1,
    () => NO_TOOLS,
    () => heldUp,
  );
  heldUp = 0;
  sourceId = insertSource(
    db,
    {
      kind: "range",
      name: "Room",
      site: "Room",
      settings: { ranges: "127.0.0.1-9", ports: "22", snmpPort: 161 },
      pollSeconds: 30,
    },
    "community",
    0,
  );
});

const add = (name: string, more: Partial<Parameters<typeof insertComponent>[1]> = {}) =>
  insertComponent(
    db,
    {
      kind: "host.linux",
      name,
      site: "Room",
      sourceId,
      hostId: null,
      address: "127.0.0.1",
      depth: 2,
      reason: "",
      keys: [`k:${name}`],
      facts: {},
      ...more,
    } as Parameters<typeof insertComponent>[1],
    START - 1000,
  );
describe("programs that are started anew", () => {
  const poll = (...programs: [name: string, pids: number[]][]): HostPoll => ({
    ...EMPTY,
    processes: programs.map(([name, pids]) => ({ name, memoryBytes: 1, cpuHundredths: 1, pids })),
  });
  const toldAfter = (...polls: HostPoll[]) => {
    const hostId = add("box");
    for (const name of ["web", "db"])
      add(`${name} @ box`, { kind: "app.process", hostId, process: name, label: name, address: null });
    poller.reload(START);
    polls.forEach((one, at) => poller.take(onlyHost(), one, START + at * 30_000, 1));
    return changesIn(db, START - 1, START * 2)
      .filter((one) => one.kind === "restart")
      .map((one) => one.summary);
  };
  it("are changes on them, with the processes where there is one", () =>
    expect(
      toldAfter(
        poll(["web", [7]], ["db", [1, 2]]),
        poll(["web", [7]], ["db", [2, 3]]),
        poll(["web", [9]], ["db", [3]]),
      ),
    ).toEqual(["web @ box: started anew, process 9 in place of 7"]));
  it("are one change of their host where all of them were", () =>
    expect(
      toldAfter(
        poll(["web", [7]], ["db", [1]]),
        poll(["web", [7]], ["db", [1]]),
        poll(),
        poll(["web", [9]], ["db", [3]]),
      ),
    ).toEqual(["box: started anew, with all 2 of its programs"]));
  it("are counted while they go on", () => {
    const hostId = add("box");
    const web = add("web @ box", { kind: "app.process", hostId, process: "web", label: "web", address: null });
    poller.reload(START);
    [1, 1, 2, 3, 4].forEach((pid, at) =>
      poller.take(onlyHost(), poll(["web", [pid]], ["other", [9]]), START + at * 30_000, 1),
    );
    writer.commit("everything", () => undefined);
    expect(valuesOf(web, "process.restarts")).toEqual([1, 2, 3]);
  });
});

const onlyHost = (): PolledHost => [...poller.hosts.values()][0] as PolledHost;
/** Answers of a driver in place of the real one. */
const answerWith = (answers: (() => Promise<HostPoll>)[]) => {
  const host = onlyHost();
  let asked = 0;
  host.driver = { ...host.driver, poll: () => (answers[asked++] ?? (() => Promise.reject(new Error("silent"))))() };
};
const metricsOf = (componentId: number) => seriesOfComponent(db, componentId).map((series) => series.metric);
const valuesOf = (componentId: number, metric: string) => {
  const series = seriesOfMetric(db, componentId, metric);
  return series ? [...readSamples(db, series.id, 0, START * 2).values] : [];
};

describe("what is polled", () => {
  it("is every host with an address that let its system be read", () => {
    const read = add("a");
    add("b", { address: null });
    add("c", { depth: 1 });
    add("d", { sourceId: null });
    poller.reload(START);
    expect([...poller.hosts.keys()]).toEqual([read]);
  });
  it("leaves with its component and keeps its place in the interval otherwise", () => {
    const id = add("a");
    poller.reload(START);
    const before = onlyHost().nextMs;
    poller.reload(START + 5000);
    expect(onlyHost().nextMs).toBe(before);
    db.prepare("UPDATE component SET valid_to = ? WHERE id = ?").run(START, id);
    poller.reload(START + 6000);
    expect(poller.hosts.size).toBe(0);
  });
  it("is spread over the interval, so that an estate is not asked all at once", () => {
    for (let index = 0; index < 40; index++) add(`h${index}`);
    poller.reload(START);
    const places = [...poller.hosts.values()].map((host) => host.nextMs - START);
    expect(new Set(places).size).toBeGreaterThan(30);
    expect(Math.max(...places)).toBeLessThan(30_000);
  });
});

describe("a look", () => {
  it("writes what was measured, that the host answered, and how long that took", async () => {
    const id = add("a");
    poller.reload(START);
    answerWith([() => Promise.resolve({ ...EMPTY, processorLoads: [20, 40] })]);
    const at = onlyHost().nextMs;
    await poller.pollDue(() => at);
    writer.commit("tick", () => undefined);
    expect(valuesOf(id, "cpu.used")).toEqual([30]);
    expect(valuesOf(id, "reachable")).toEqual([1]);
    expect(valuesOf(id, "response")).toHaveLength(1);
    expect(seen).toEqual([id]);
  });
  it("that fails is a sample too, and the next one comes in its time", async () => {
    const id = add("a");
    poller.reload(START);
    answerWith([]);
    const at = onlyHost().nextMs;
    await poller.pollDue(() => at);
    writer.commit("tick", () => undefined);
    expect(valuesOf(id, "reachable")).toEqual([0]);
    expect(metricsOf(id)).toEqual(["reachable"]);
    expect(seen).toEqual([]);
    expect(onlyHost().nextMs).toBe(at + 30_000);
    expect(poller.done).toBe(1);
  });
  it("that failed while this process was held up itself says nothing of the host", async () => {
    const id = add("a");
    poller.reload(START);
    answerWith([() => Promise.resolve(EMPTY)]);
    heldUp = 900;
    await poller.pollDue(() => onlyHost().nextMs);
    await poller.pollDue(() => onlyHost().nextMs);
    writer.commit("tick", () => undefined);
    // Its answer counts, though not how long it took; the silence after it does not.
    expect(valuesOf(id, "reachable")).toEqual([1]);
    expect(metricsOf(id)).not.toContain("response");
    expect(poller.missed).toBe(1);
    // It is asked again at once, and believed when it is silent again, however busy this process is.
    await poller.pollDue(() => onlyHost().nextMs);
    writer.commit("tick", () => undefined);
    expect(valuesOf(id, "reachable")).toEqual([1, 0]);
  });
  it("does not begin while the one before is under way", async () => {
    add("a");
    poller.reload(START);
    let answer: (poll: HostPoll) => void = () => undefined;
    let asked = 0;
    onlyHost().driver = {
      ...onlyHost().driver,
      poll: () => {
        asked++;
        return new Promise<HostPoll>((done) => (answer = done));
      },
    };
    const at = onlyHost().nextMs;
    const first = poller.pollDue(() => at);
    await poller.pollDue(() => at + 60_000);
    expect(asked).toBe(1);
    answer(EMPTY);
    await first;
    await Promise.all([poller.pollDue(() => at + 90_000), Promise.resolve().then(() => answer(EMPTY))]);
    expect(asked).toBe(2);
  });
  it("that was left out is counted, and not made up for", async () => {
    add("a");
    poller.reload(START);
    answerWith([() => Promise.resolve(EMPTY)]);
    const at = onlyHost().nextMs;
    await poller.pollDue(() => at + 95_000);
    expect(poller.missed).toBe(3);
    expect(onlyHost().nextMs).toBe(at + 120_000);
  });
  it("gives its processes to the components they are", async () => {
    const host = add("a");
    const part = add("web @ a", { kind: "app.process", hostId: host, address: null, label: "web", process: "web" });
    poller.reload(START);
    poller.take(
      onlyHost(),
      {
        ...EMPTY,
        processes: [
          { name: "web", memoryBytes: 1000, cpuHundredths: 10 },
          { name: "cron", memoryBytes: 5, cpuHundredths: 1 },
        ],
      },
      START,
      undefined,
    );
    writer.commit("tick", () => undefined);
    expect(valuesOf(part, "process.memory")).toEqual([1000]);
    expect(metricsOf(host)).toEqual(["reachable"]);
    expect(seen).toEqual([part, host]);
  });
  it("misses what others connect to once it was met in the table, and nothing else", () => {
    const hostId = add("a");
    const of = (name: string, port: number | null) =>
      add(`${name} @ a`, {
        kind: "app.process",
        hostId,
        address: null,
        label: name,
        process: name,
        ...(port === null ? {} : { port }),
      });
    const [web, copy, other] = [of("web", 80), of("copy", null), of("other", 90)];
    poller.reload(START);
    const looks = [["web", "copy"], ["cron"], ["web"]];
    looks.forEach((names, at) =>
      poller.take(
        onlyHost(),
        { ...EMPTY, processes: names.map((name) => ({ name, memoryBytes: 1, cpuHundredths: 1 })) },
        START + at * 30_000,
        undefined,
      ),
    );
    writer.commit("everything", () => undefined);
    expect(valuesOf(web, "process.running")).toEqual([1, 0, 1]);
    expect(metricsOf(copy)).not.toContain("process.running");
    expect(metricsOf(other)).not.toContain("process.running");
    expect(seen.filter((id) => id === web)).toHaveLength(2);
  });
});

describe("figures of services", () => {
  it("are kept under the service, each in its unit", () => {
    const serviceId = saveService(
      db,
      {
        uid: "gate",
        name: "Gate",
        purpose: "",
        owner: "",
        entries: [],
        figure: { label: "moves", unit: "1/h", url: "http://127.0.0.1:1/metrics", metric: "moves", headline: false },
      },
      START,
    );
    poller.takeFigure(serviceId, { metric: "moves", unit: "1/h", label: "moves", url: "" } as never, 12, START);
    writer.commit("tick", () => undefined);
    const series = seriesOfService(db, serviceId);
    expect(series).toMatchObject({ metric: "moves", unit: "1/h" });
    expect([...readSamples(db, series?.id ?? 0, 0, START * 2).values]).toEqual([12]);
  });
});
