import { readFileSync } from "node:fs";
import fc from "fast-check";
import { beforeAll, describe, expect, it } from "vitest";
import { measureHost, type CounterMemory } from "#core/telemetry/poll";
import { readScenario } from "../scenario/read";
import type { Scenario } from "../scenario/schema";
import { measuredOf } from "./agents";
import { Estate } from "./estate";
import type { HostView } from "./host-view";
import { attributesOf, linesBetween, sendersOf } from "./lines";
import { drawAnswers, measuredAs, totalsOf } from "./requests";
import { asHttp, failureLines, Traces } from "./traces";

const AT = Date.parse("2026-03-17T10:00:00Z");
const MINUTE = 60_000;
const HOUR = 3_600_000;
const json = (file: string): unknown => JSON.parse(readFileSync(new URL(file, import.meta.url), "utf8"));
const halvane = readScenario(json("../../scenarios/halvane.json"));
if (!halvane.ok) throw new Error(halvane.problems.join("\n"));
const { scenario } = halvane;
const small = (): Scenario => {
  const read = readScenario(json("../../tests/fixtures/small-scenario.json"));
  if (!read.ok) throw new Error(read.problems.join("\n"));
  return read.scenario;
};
const fresh = (fromMs = AT - HOUR) => new Estate(scenario, AT, fromMs);
const hostOf = (estate: Estate, name: string): HostView => {
  const host = estate.host(name);
  if (!host) throw new Error(`no host ${name}`);
  return host;
};
const mean = (list: readonly number[]) => list.reduce((sum, one) => sum + one, 0) / list.length;

describe("a hypervisor of the stand-ins", () => {
  it("tells of the machines that are on it, in the file's order, each with an id of its own", () => {
    const estate = fresh();
    const all = estate.hosts.filter((host) => host.role.system === "hypervisor");
    expect(all.length).toBeGreaterThanOrEqual(2);
    for (const hypervisor of all)
      expect(hypervisor.guestRows(AT).map((row) => row.name)).toEqual(
        scenario.hosts.filter((host) => host.on === hypervisor.name && !host.spare).map((host) => host.name),
      );
    const ids = all.flatMap((hypervisor) => hypervisor.guestRows(AT).map((row) => row.uuid));
    expect(new Set(ids).size).toBe(ids.length);
  });
  it("is busier by day than by night, and has no more memory in use than it has", () => {
    const load = (at: string) =>
      mean(hostOf(fresh(Date.parse(at) - HOUR), "nq-virt-02").poll(Date.parse(at)).processorLoads);
    expect(load("2026-03-17T09:30:00Z")).toBeGreaterThan(load("2026-03-17T02:30:00Z") * 1.5);
    const poll = hostOf(fresh(), "nq-virt-01").poll(AT);
    const ram = poll.storage.find((row) => row.type === "ram");
    expect(ram?.usedBytes).toBeLessThan(ram?.sizeBytes ?? 0);
  });
});

describe("a port of the stand-ins", () => {
  it("counts what goes through it evenly, between two steps of the world as at their ends", () => {
    const estate = fresh();
    const octets = (name: string, seconds: number) => {
      const [port] = hostOf(estate, name).poll(AT + seconds * 1000).interfaces;
      return (port?.inOctets ?? 0) + (port?.outOctets ?? 0);
    };
    for (const name of ["nq-gate-web-01", "nq-gate-db-01"]) {
      const rates = Array.from({ length: 24 }, (_, at) => octets(name, (at + 1) * 10) - octets(name, at * 10));
      expect(Math.max(...rates), name).toBeLessThan(1.5 * Math.min(...rates));
    }
  });
});

describe("a disk of the stand-ins", () => {
  it("keeps the device for longer with each operation where it answers late, and not where it is asked much", () => {
    const estate = fresh();
    const memory: CounterMemory = new Map();
    const look = (name: string, atMs: number) =>
      measureHost(hostOf(estate, name).poll(atMs), atMs, memory, new Set()).host;
    const service = (name: string, fromMs: number) => {
      for (let at = fromMs; at < fromMs + 2 * MINUTE; at += 15_000) look(name, at);
      return look(name, fromMs + 2 * MINUTE).find((one) => one.metric === "disk.service");
    };
    const before = service("nq-cus-web-01", AT);
    expect(before).toMatchObject({ instance: "vda", unit: "ms" });
    expect(before?.value).toBeLessThan(5);
    const asked = service("sq-cus-db-01", AT + 3 * MINUTE)?.value ?? Number.NaN;
    estate.startDrill("front-disk-slow", AT + 6 * MINUTE);
    expect(service("nq-cus-web-01", AT + 8 * MINUTE)?.value).toBeGreaterThan(100 * (before?.value ?? 1));
    expect(service("sq-cus-db-01", AT + 11 * MINUTE)?.value).toBeLessThan(1.5 * asked);
  });
});

describe("one machine that takes everything", () => {
  const estate = fresh();
  const hypervisor = hostOf(estate, "nq-virt-01");
  const front = hostOf(estate, "nq-gate-web-01");
  const during = AT + 4 * MINUTE;
  const agent = measuredOf(estate).find((one) => one.host === front);
  const stolen = (at: number) => agent?.valuesAt(at)?.[0] ?? Number.NaN;
  const shares = (from: number, to: number) => {
    const memory: CounterMemory = new Map();
    measureHost(hypervisor.poll(from), from, memory, new Set());
    const later = hypervisor.poll(to);
    const { host, guests } = measureHost(later, to, memory, new Set());
    return {
      load: host.find((one) => one.metric === "cpu.used")?.value ?? 0,
      used: (later.guests ?? []).map((guest, index) => ({
        name: guest.name,
        cores: ((guests[index]?.find((one) => one.metric === "guest.cpu.used")?.value ?? 0) / 100) * guest.processors,
      })),
    };
  };
  let usual: ReturnType<typeof shares>;
  beforeAll(() => {
    usual = shares(AT - 30 * MINUTE, AT - 29 * MINUTE);
    expect(stolen(AT - 1000)).toBeLessThan(2);
    estate.startDrill("machine-hogs", AT);
  });

  it("saturates the hypervisor, and leaves what the others measure of themselves alone", () => {
    expect(mean(hypervisor.poll(during).processorLoads)).toBeGreaterThan(90);
    expect(mean(front.poll(during).processorLoads)).toBeLessThan(60);
  });
  it("makes the others wait and answer late, but not machines elsewhere", () => {
    expect(stolen(during)).toBeGreaterThan(10);
    const response = (host: string) =>
      estate.world.state.operation.responseSeconds[
        estate.world.layout.station(host, "gatefront")?.operations[0]?.index ?? 0
      ] ?? 0;
    expect(response("nq-gate-web-01")).toBeGreaterThan(response("sq-gate-web-01") * 1.3);
  });
  it("stands out among the machines by what the hypervisor counts, which tells no more than of itself", () => {
    const { load, used } = shares(during, during + MINUTE);
    const [first, second] = [...used].sort((a, b) => b.cores - a.cores);
    expect(first?.name).toBe("nq-trial-01");
    expect(first?.cores).toBeGreaterThan(2 * (second?.cores ?? 0));
    for (const one of [usual, { load, used }])
      expect(Math.abs((one.used.reduce((sum, guest) => sum + guest.cores, 0) * 100) / 24 - one.load)).toBeLessThan(12);
  });
  it("ends when somebody stops it there", () => {
    const trial = hostOf(estate, "nq-trial-01");
    estate.world.stop(trial.stations[0] as (typeof trial.stations)[number], during + 2 * MINUTE);
    expect(mean(hypervisor.poll(during + 6 * MINUTE).processorLoads)).toBeLessThan(60);
    expect(stolen(during + 6 * MINUTE)).toBeLessThan(2);
    expect(estate.isActive("machine-hogs", during + 6 * MINUTE)).toBe(false);
  });
});

describe("what one look shows", () => {
  it("is the same for the same seed and instant, and another for another seed", () => {
    const poll = (own: Scenario) => new Estate(own, AT, AT - HOUR).host("t-web-01")?.poll(AT);
    expect(poll(small())).toEqual(poll(small()));
    expect(poll({ ...small(), seed: 8 })).not.toEqual(poll(small()));
  });
  it("has counters that never fall, whatever begins and ends between two looks", () => {
    const estate = fresh();
    for (const id of ["machine-hogs", "planner-spins", "release-host-dark"]) {
      estate.startDrill(id, AT - 40 * MINUTE);
      estate.stopDrill(id, AT - 25 * MINUTE);
    }
    fc.assert(
      fc.property(
        fc.constantFrom(...estate.hosts),
        fc.integer({ min: AT - 50 * MINUTE, max: AT }),
        fc.integer({ min: 0, max: 10 * MINUTE }),
        (host, at, span) => {
          const [before, after] = [host.poll(at), host.poll(at + span)];
          before.interfaces.forEach((port, index) => {
            expect(after.interfaces[index]?.inOctets).toBeGreaterThanOrEqual(port.inOctets);
            expect(after.interfaces[index]?.errors).toBeGreaterThanOrEqual(port.errors);
          });
          before.guests?.forEach((guest, index) =>
            expect(after.guests?.[index]?.cpuMicroseconds).toBeGreaterThanOrEqual(guest.cpuMicroseconds),
          );
        },
      ),
      { numRuns: 60 },
    );
  });
  it("lists a connection on both of its ends, and none to what is gone", () => {
    const estate = new Estate(small(), AT, AT - HOUR);
    const caller = hostOf(estate, "t-web-01");
    const called = hostOf(estate, "t-db-01");
    const near = caller.connections(AT);
    expect(near).toHaveLength(3);
    expect(
      called
        .connections(AT)
        .map((row) => `${row.remoteAddress}:${row.remotePort}`)
        .sort(),
    ).toEqual(near.map((row) => `${row.localAddress}:${row.localPort}`).sort());
    estate.startDrill("store-dark", AT);
    expect(called.answers(AT + 2000)).toBe(false);
    expect(caller.connections(AT + 2000)).toEqual([]);
    estate.stopDrill("store-dark", AT + MINUTE);
    expect(called.answers(AT + 2 * MINUTE)).toBe(true);
  });
  it("shows a process that spins in its own counter, and a restart there too", () => {
    const estate = fresh();
    const host = hostOf(estate, "nq-berth-app-01");
    const station = host.station("tidecalc");
    const time = (at: number) =>
      host.poll(at).processes.find((one) => one.name === "tidecalc")?.cpuHundredths ?? Number.NaN;
    const cores = (from: number, to: number) => {
      const before = time(from);
      return (time(to) - before) / ((to - from) / 10);
    };
    expect(cores(AT - MINUTE, AT)).toBeLessThan(1.2);
    const pid = host.software(AT).find((row) => row.name === "tidecalc")?.pid;
    estate.startDrill("planner-spins", AT);
    expect(cores(AT + 2 * MINUTE, AT + 3 * MINUTE)).toBeGreaterThan(1.5);
    const before = time(AT + 3 * MINUTE);
    if (station) estate.world.restart(station, AT + 3 * MINUTE);
    expect(time(AT + 3 * MINUTE + 20_000)).toBeLessThan(before / 10);
    expect(host.software(AT + 4 * MINUTE).find((row) => row.name === "tidecalc")?.pid).not.toBe(pid);
    expect(estate.isActive("planner-spins", AT + 4 * MINUTE)).toBe(false);
  });
  it("leaks when a drill says so, with the orders that fail for it, until the process is restarted", () => {
    const estate = new Estate(small(), AT, AT - HOUR);
    const host = hostOf(estate, "t-web-01");
    const used = (at: number) => host.poll(at).processes.find((one) => one.name === "shopfront")?.memoryBytes ?? 0;
    const [before, orders] = [used(AT), estate.figure("orders_per_hour", AT) ?? 0];
    expect(orders).toBeGreaterThan(20);
    expect(estate.startDrill("front-leak", AT)?.id).toBe("front-leak");
    expect(estate.startDrill("front-leak", AT + 1)).toBeUndefined();
    expect(used(AT + 40_000)).toBeGreaterThan(before * 3);
    expect(estate.figure("orders_per_hour", AT + 5 * MINUTE)).toBeLessThan(orders / 2);
    const [station] = host.stations;
    if (station) estate.world.restart(station, AT + 5 * MINUTE);
    expect(used(AT + 5 * MINUTE + 2000)).toBe(0);
    expect(used(AT + 6 * MINUTE)).toBeLessThan(before * 1.2);
    expect(estate.figure("orders_per_hour", AT + 10 * MINUTE)).toBeGreaterThan(orders * 0.7);
  });
});

describe("what agents measure", () => {
  it("has the same metrics at every instant, percentages within bounds, and nothing of what is down", () => {
    const estate = fresh(AT - 10 * HOUR);
    const measured = measuredOf(estate);
    expect(measured.filter((one) => one.attributes["container.id"])).toHaveLength(6);
    for (const at of [AT - 9 * HOUR, AT])
      for (const one of measured) {
        const values = one.valuesAt(at);
        if (one.host.machine.spare) continue;
        expect(values).toHaveLength(one.metrics.length);
        one.metrics.forEach((metric, index) => {
          expect(values?.[index]).toBeGreaterThanOrEqual(0);
          if (metric.unit === "%") expect(values?.[index]).toBeLessThanOrEqual(100);
        });
      }
    for (const { attributes } of measured)
      if (attributes["container.id"]) expect(attributes["container.id"]).toMatch(/^[0-9a-f]{64}$/);
    const spare = measured.find((one) => one.host.machine.spare);
    expect(spare?.valuesAt(AT)).toBeUndefined();
  });
});

describe("what the estate says", () => {
  /** In parts of a minute, as it is sent. */
  const said = (estate: Estate, fromMs: number, toMs: number, part = MINUTE) => {
    const senders = sendersOf(estate);
    const lines = [];
    for (let at = fromMs; at < toMs; at += part)
      for (const sender of senders)
        for (const line of linesBetween(scenario, sender, at, Math.min(toMs, at + part)))
          lines.push({ ...line, host: sender.host.name, process: sender.station?.spec.name });
    return lines;
  };

  it("is the same every time anew, and within the span asked for", () => {
    const lines = said(fresh(), AT - HOUR, AT);
    expect(said(fresh(), AT - HOUR, AT)).toEqual(lines);
    expect(lines.length).toBeGreaterThan(200);
    for (const line of lines) {
      expect(line.atMs).toBeGreaterThan(AT - HOUR);
      expect(line.atMs).toBeLessThanOrEqual(AT);
      expect(line.text).not.toMatch(/[{}]/);
    }
  });

  it("tells of a fault where it is at work, of its harm where it is felt, and of neither elsewhere", () => {
    const estate = fresh();
    expect(said(estate, AT - 10 * MINUTE, AT).some((line) => /No room left|not written/.test(line.text))).toBe(false);
    estate.startDrill("series-disk-fills", AT);
    const lines = said(estate, AT + 3 * MINUTE, AT + 12 * MINUTE);
    const from = (text: string) => new Set(lines.filter((line) => line.text.includes(text)).map((line) => line.host));
    expect([...from("No room left on /srv")]).toEqual(["sq-crane-ts-01"]);
    // All three that take readings in write to both stores.
    expect([...from("tidelog has no room")].sort()).toEqual(["nq-crane-in-01", "sq-crane-in-01", "sq-crane-in-02"]);
  });

  it("says what it says from a version on, and what it is", () => {
    const estate = new Estate(scenario, AT, AT - 30 * HOUR);
    const parser = sendersOf(estate).find(
      (one) => one.host.name === "nq-mfx-parse-01" && one.station?.spec.name === "manifest-parser",
    );
    if (!parser) throw new Error("no parser");
    const has = (fromMs: number, toMs: number) => {
      for (let at = fromMs; at < toMs; at += MINUTE)
        if (linesBetween(scenario, parser, at, at + MINUTE).some((line) => line.text.includes("kept for replay")))
          return true;
      return false;
    };
    expect(has(AT - 29 * HOUR, AT - 20 * HOUR)).toBe(false);
    expect(has(AT - 8 * HOUR, AT)).toBe(true);
    expect(attributesOf(parser, AT)).toEqual({
      "host.name": "nq-mfx-parse-01.halvane.example",
      "service.name": "manifest-parser",
      "service.version": "7.0.3",
    });
    if (parser.station) estate.world.stop(parser.station, AT);
    expect(linesBetween(scenario, parser, AT + MINUTE, AT + 2 * MINUTE)).toEqual([]);
  });
});

it("a process tells of its jobs: when one began, and when its rows were done", () => {
  const night = Date.parse("2026-03-17T02:25:00Z");
  const estate = new Estate(scenario, AT, night);
  const sender = sendersOf(estate).find(
    (one) => one.station?.spec.name === "monthend" && one.host.name === "nq-bil-app-01",
  );
  if (!sender) throw new Error("nobody does the month's end");
  const lines = [];
  for (let at = night; at < night + 3 * HOUR; at += MINUTE)
    lines.push(...linesBetween(scenario, sender, at, at + MINUTE));
  expect(lines.map((line) => line.text)).toEqual([
    "Job month-end begun: 60000 rows",
    expect.stringMatching(/^Job month-end done: 60000 rows in \d+ s$/),
  ]);
  expect(lines[0]?.atMs).toBe(Date.parse("2026-03-17T02:30:00Z"));
});

describe("traces", () => {
  const tracesOf = (estate: Estate, fromMs: number, toMs: number) => {
    const traces = new Traces(estate.world, sendersOf(estate));
    const spans = [];
    for (let at = fromMs; at < toMs; at += MINUTE) spans.push(...traces.between(at, at + MINUTE));
    return spans;
  };

  it("are trees whose children lie in their parents, and begin at every entry from outside", () => {
    const estate = fresh();
    const spans = tracesOf(estate, AT - 10 * MINUTE, AT);
    const byId = new Map(spans.map((span) => [span.traceId + span.spanId, span]));
    expect(byId.size).toBe(spans.length);
    for (const span of spans) {
      expect(span.endMs).toBeGreaterThanOrEqual(span.startMs);
      expect(span.traceId).toMatch(/^[0-9a-f]{32}$/);
      if (!span.parentId) continue;
      const parent = byId.get(span.traceId + span.parentId);
      expect(parent).toBeDefined();
      expect(span.startMs).toBeGreaterThanOrEqual(parent?.startMs ?? 0);
      expect(span.endMs).toBeLessThanOrEqual((parent?.endMs ?? 0) + 1e-6);
    }
    const entries = new Set(
      spans.filter((span) => !span.parentId).map((span) => `${span.sender.station?.spec.name} ${span.name}`),
    );
    // What is not instrumented shows in the spans of those who call it only.
    expect(spans.some((span) => span.name === "select quaystore")).toBe(true);
    expect(spans.some((span) => span.sender.station?.spec.name === "quaystore")).toBe(false);
    for (const load of scenario.loads) expect(entries).toContain(`${load.to.process} ${load.to.operation}`);
  });

  it("begin where a message is taken from a queue too, and lead on to what is called for it", () => {
    const estate = fresh();
    const spans = tracesOf(estate, AT - 10 * MINUTE, AT);
    const taken = spans.filter((span) => span.kind === 5);
    expect(new Set(taken.map((span) => `${span.sender.station?.spec.name} ${span.name}`))).toEqual(
      new Set(["manifest-parser process manifests"]),
    );
    for (const span of taken) {
      expect(span.parentId).toBe("");
      expect(span.attributes).toEqual({
        "messaging.operation.name": "process",
        "messaging.destination.name": "manifests",
      });
    }
    const stored = spans.filter((span) => taken.some((one) => one.spanId === span.parentId));
    expect(stored.some((span) => span.kind === 3 && span.attributes["peer.service"] === "relaymq")).toBe(true);
    expect(failureLines(taken).every((line) => line.text.startsWith("process manifests failed: "))).toBe(true);
  });

  it("last about as long as the world says, and fail where it does", () => {
    const estate = fresh();
    const calm = tracesOf(estate, AT - 30 * MINUTE, AT);
    for (const [host, process] of [
      ["nq-gate-web-01", "gatefront"],
      ["sq-cus-app-01", "releaser"],
    ] as const) {
      const operation = estate.world.layout.station(host, process)?.operations[0];
      if (!operation) throw new Error("no operation");
      const own = calm.filter((span) => span.operation === operation).map((span) => (span.endMs - span.startMs) / 1000);
      const expected = estate.world.state.operation.responseSeconds[operation.index] ?? 0;
      expect(own.length).toBeGreaterThan(30);
      expect(mean(own) / expected).toBeGreaterThan(0.6);
      expect(mean(own) / expected).toBeLessThan(1.6);
    }
    estate.startDrill("series-disk-fills", AT);
    const hurt = tracesOf(estate, AT + 4 * MINUTE, AT + 10 * MINUTE);
    const failing = (list: typeof calm, name: string) => {
      const own = list.filter((span) => !span.parentId && span.name === name);
      return own.filter((span) => span.failed).length / own.length;
    };
    expect(failing(calm, "POST /readings")).toBeLessThan(0.05);
    expect(failing(hurt, "POST /readings")).toBeGreaterThan(0.2);
    expect(failing(hurt, "GET /slots")).toBeLessThan(0.05);
    const lines = failureLines(hurt).filter((line) => line.sender.station?.spec.name === "tidelog");
    expect(lines.length).toBeGreaterThan(3);
    for (const line of lines) expect(line.text).toBe("write failed: no room left on /srv");
  });
});

describe("traces of what comes late", () => {
  const MINUTES = 5;
  const spansOf = (drill: string) => {
    const estate = fresh();
    estate.startDrill(drill, AT);
    const traces = new Traces(estate.world, sendersOf(estate));
    estate.world.advance(AT + 2 * MINUTE);
    return {
      estate,
      spans: Array.from({ length: MINUTES }, (_, index) =>
        traces.between(AT + (2 + index) * MINUTE, AT + (3 + index) * MINUTE),
      ).flat(),
    };
  };

  it("over a late line lie between the caller and who answers quickly", () => {
    const { spans } = spansOf("depot-line-late");
    const over = spans.filter(
      (span) => span.kind === 3 && span.sender.host.name.startsWith("td-gw-") && span.name === "GET /slots",
    );
    const answered = over.flatMap((span) => {
      const child = spans.find((one) => one.parentId === span.spanId && one.traceId === span.traceId);
      return child
        ? [{ to: child.sender.host.name, lateMs: span.endMs - span.startMs - (child.endMs - child.startMs) }]
        : [];
    });
    const late = (site: string) => answered.filter((one) => one.to.startsWith(site)).map((one) => one.lateMs);
    expect(late("nq").length).toBeGreaterThan(2);
    expect(Math.min(...late("nq"))).toBeGreaterThan(1400);
    // From the other site another line leads to the depot.
    expect(Math.max(0, ...late("sq"))).toBeLessThan(100);
  });
});

describe("requests as a process measures them", () => {
  it("are as many as the world answered, each as long as it took on average", () => {
    const estate = fresh();
    const { world } = estate;
    const operation = world.layout.station("nq-gate-web-01", "gatefront")?.operations[0];
    if (!operation) throw new Error("no operation");
    world.advance(AT - MINUTE);
    const before = totalsOf(world, operation, AT - MINUTE);
    world.advance(AT);
    const now = totalsOf(world, operation, AT);
    const drawn = drawAnswers(world, operation, before, now, AT);
    const count = drawn.reduce((sum, one) => sum + one.count, 0);
    expect(Math.abs(count - (now.answered + now.failed - before.answered - before.failed))).toBeLessThan(3);
    const seconds = drawn.reduce((sum, one) => sum + one.sum, 0) / count;
    expect(seconds / (world.state.operation.responseSeconds[operation.index] ?? 0)).toBeCloseTo(1, 0);
    for (const one of drawn) expect(one.counts.reduce((sum, each) => sum + each, 0)).toBe(one.count);
  });
  it("are measured as what a server answers, or as what is done with messages", () => {
    const { world } = fresh();
    const of = (host: string, process: string) =>
      (world.layout.station(host, process)?.operations ?? []).map((one) => measuredAs(one));
    const [asked] = of("nq-gate-web-01", "gatefront");
    expect(asked?.metric).toBe("http.server.request.duration");
    expect(asked?.attributes(true)).toMatchObject({ "http.response.status_code": 500 });
    const [taken] = of("nq-mfx-parse-01", "manifest-parser");
    expect(taken?.metric).toBe("messaging.process.duration");
    expect(taken?.attributes(false)).toEqual({
      "messaging.destination.name": "manifests",
      "messaging.operation.name": "process",
    });
    expect(taken?.attributes(true)).toMatchObject({ "error.type": "_OTHER" });
    expect(of("nq-gate-db-01", "quaystore").filter(Boolean)).toEqual([]);
  });
  it("are HTTP where they are named so", () => {
    expect(asHttp("GET /slots/{id}")).toEqual({ method: "GET", route: "/slots/{id}" });
    expect(asHttp("select")).toBeUndefined();
  });
});

it("tells of the change that a fault came with, once, and of planned work beside a drill", () => {
  const estate = fresh();
  estate.startDrill("slots-release-slow", AT);
  estate.startDrill("planned-restart", AT + MINUTE);
  const told = [
    ...estate.changesBetween(AT - MINUTE, AT + 30_000),
    ...estate.changesBetween(AT + 30_000, AT + 5 * MINUTE),
  ];
  expect(told.map(({ change }) => [change.what, change.host, change.version, change.ticket])).toEqual([
    ["release", "nq-gate-app-02", "4.3.0", "CHG-3107"],
    ["work", "nq-gate-app-01", undefined, "CHG-3140"],
  ]);
  expect(new Set(told.map((one) => one.id)).size).toBe(2);
  expect(estate.changesBetween(AT + 5 * MINUTE, AT + 10 * MINUTE)).toEqual([]);
});

it("a drill that is ended before all of it has begun is over, and stays so", () => {
  const estate = fresh();
  estate.startDrill("two-related", AT);
  estate.world.advance(AT + MINUTE);
  expect(estate.stopDrill("two-related", AT + MINUTE)).toBe(true);
  for (const at of [AT + MINUTE + 2000, AT + 4 * MINUTE + 5000, AT + 10 * MINUTE]) {
    estate.world.advance(at);
    expect(estate.isActive("two-related", at)).toBe(false);
  }
  expect(estate.endOf("two-related", AT + 10 * MINUTE)?.how).toBe("ended");
  const station = estate.world.layout.station("nq-cus-app-01", "releaser");
  expect(estate.world.state.operation.failing[station?.operations[0]?.index ?? 0]).toBeLessThan(0.05);
});

it("a job that a drill had run stops with the drill", () => {
  const estate = fresh();
  const rows = () =>
    estate.world.state.job.rowsLeft[scenario.jobs.findIndex((one) => one.name === "archive-copy")] ?? 0;
  estate.startDrill("archive-copy", AT);
  estate.world.advance(AT + 5 * MINUTE);
  expect(rows()).toBeGreaterThan(1000);
  estate.stopDrill("archive-copy", AT + 5 * MINUTE);
  estate.world.advance(AT + 6 * MINUTE);
  expect(rows()).toBe(0);
  expect(mean(hostOf(estate, "td-vault-01").poll(AT + 7 * MINUTE).processorLoads)).toBeLessThan(40);
});
