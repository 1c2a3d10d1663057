import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { SampleWriter } from "../ingest/sample-writer";
import { readGraph, refreshServices } from "../estate/services";
import { affectServices, incidentById, openIncident } from "../store/incidents";
import { migrate, openStore, type Db } from "../store/database";
import { insertComponent, retireComponent } from "../store/estate";
import { insertRelation } from "../store/relations";
import { LogWriter } from "../store/log-writer";
import { insertResource } from "../store/resources";
import { selectSeries } from "../store/query";
import { saveService } from "../store/services";
import type { Instrument } from "#core/catalogue/metrics";
import { SpanWriter } from "../store/span-writer";
import { insertSource } from "../store/sources";
import { componentPage } from "./component";
import { metricsPage } from "./metrics";
import { servicePage, serviceSignals } from "./service";

const AT = Date.parse("2026-03-17T10:00:00Z");
let folder: string;
let db: Db;
let sampleWriter: SampleWriter;
let sourceId: number;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
  db = openStore(join(folder, "store.db"), "writer");
  migrate(db, join(process.cwd(), "server", "store", "migrations"));
  sampleWriter = new SampleWriter(db);
  sourceId = insertSource(
    db,
    {
      kind: "range",
      name: "s",
      site: "Room",
      settings: { ranges: "127.0.0.1-9", ports: "22", snmpPort: 161 },
      pollSeconds: 60,
    },
    "x",
    0,
  );
});
afterEach(() => {
  db.close();
  rmSync(folder, { recursive: true, force: true });
});

const add = (name: string, kind = "host.linux", hostId: number | null = null) =>
  insertComponent(
    db,
    {
      kind,
      name,
      site: "Room",
      sourceId,
      hostId,
      address: hostId === null ? "127.0.0.1" : null,
      ...(hostId === null ? {} : { label: name.split(" @ ")[0], process: name.split(" @ ")[0] }),
      reason: "",
      keys: [`k:${name}`],
      facts: {},
    },
    AT - 30 * DAY_MS,
  );
const relate = (type: "talks-to" | "runs-on" | "hosted-by", fromId: number, toId: number, atMs = AT - 30 * DAY_MS) =>
  insertRelation(db, { type, fromId, toId, detail: "", connections: 1, seenBy: "both" }, atMs);
const resource = (componentId: number | null, said = "{}") => insertResource(db, said, { componentId, why: "" }, AT);
/** A sample every five minutes over a span up to now. */
function measure(
  owner: { componentId: number | null; resourceId?: number },
  metric: string,
  valueAt: (atMs: number) => number,
  spanMs = 2 * HOUR_MS,
  instance = "",
  form: Instrument = "gauge",
) {
  const series = sampleWriter.series(
    { componentId: owner.componentId, serviceId: null, resourceId: owner.resourceId ?? null },
    metric,
    instance,
    "%",
    AT - spanMs,
    form,
  );
  for (let at = AT - spanMs; at <= AT; at += 5 * MINUTE_MS) sampleWriter.record(series, at, valueAt(at));
  sampleWriter.commit("everything", () => undefined);
  return series;
}
const page = (id: number, more = {}) =>
  componentPage(db, { id, atMs: AT, fromMs: AT - HOUR_MS, toMs: AT, ...more }) as NonNullable<
    ReturnType<typeof componentPage>
  >;

describe("a component's page", () => {
  it("draws what is polled once, though an agent sends it too, and what only the agent sends beside it", () => {
    const host = add("a");
    const sender = resource(host);
    measure({ componentId: host }, "cpu.used", () => 10);
    measure({ componentId: host, resourceId: sender }, "cpu.used", () => 11);
    measure({ componentId: host, resourceId: sender }, "cpu.stolen", () => 3);
    measure({ componentId: host, resourceId: sender }, "queue.length", () => 5);
    measure({ componentId: host, resourceId: sender }, "took.p50", () => 5);
    measure({ componentId: host, resourceId: sender }, "calls", () => 5, undefined, "", "total");
    const charts = page(host).charts.map((chart) => [chart.metric, chart.legend.last]);
    // Totals only rise and medians say less than the slow end: neither is drawn unasked.
    expect(charts).toEqual([
      ["cpu.used", 10],
      ["cpu.stolen", 3],
      ["queue.length", 5],
    ]);
  });

  it("leaves out what was not sent in the window, and says how much that is, but shows that something polled was silent", () => {
    const host = add("a");
    const sender = resource(host);
    measure({ componentId: host }, "cpu.used", () => 10);
    measure({ componentId: host, resourceId: sender }, "queue.length", () => 5);
    const before = page(host, { fromMs: AT - 9 * HOUR_MS, toMs: AT - 8 * HOUR_MS });
    expect(before.charts.map((chart) => [chart.metric, chart.legend.count])).toEqual([["cpu.used", 0]]);
    expect(before.silent).toBe(1);
    expect(page(host).silent).toBe(0);
  });

  it("lays another day, another week or the mean of seven days over its drawings", () => {
    const host = add("a");
    const daysAgo = (atMs: number) => Math.floor((AT - atMs) / DAY_MS);
    measure({ componentId: host }, "cpu.used", daysAgo, 8 * DAY_MS);
    const over = (overlay: "none" | "day" | "week" | "seven") =>
      new Set(
        page(host, { overlay, fromMs: AT - 50 * MINUTE_MS, toMs: AT - MINUTE_MS }).charts[0]?.over.map(
          ([, value]) => value,
        ),
      );
    expect([...over("none")]).toEqual([]);
    expect([...over("day")]).toEqual([1]);
    expect([...over("week")]).toEqual([7]);
    expect([...over("seven")]).toEqual([4]);
    const [first] =
      page(host, { overlay: "week", fromMs: AT - 50 * MINUTE_MS, toMs: AT - MINUTE_MS }).charts[0]?.over ?? [];
    expect(first?.[0]).toBeGreaterThanOrEqual(AT - 55 * MINUTE_MS);
  });

  it("names what carries it as it was at that instant", () => {
    const [process, host, before, now] = [
      add("p @ a", "app.process", add("a")),
      1,
      add("virt-01", "host.hypervisor"),
      add("virt-02", "host.hypervisor"),
    ];
    const old = relate("hosted-by", host, before);
    db.prepare("UPDATE relation SET valid_to = ? WHERE id = ?").run(AT - HOUR_MS, old);
    relate("hosted-by", host, now, AT - HOUR_MS);
    expect(page(process).carriers.map((one) => [one.name, one.how])).toEqual([
      ["a", "runs on"],
      ["virt-02", "hosted by"],
    ]);
    expect(page(process, { atMs: AT - 2 * HOUR_MS }).carriers.map((one) => one.name)).toEqual(["a", "virt-01"]);
    const container = add("box @ a", "app.container", host);
    relate("runs-on", process, host);
    relate("runs-on", process, container);
    expect(page(process).carriers.map((one) => [one.name, one.how])).toEqual([
      ["box @ a", "runs in"],
      ["a", "runs on"],
      ["virt-02", "hosted by"],
    ]);
    expect(page(container).parts.map((one) => one.name)).toEqual(["p @ a"]);
    expect(page(host).parts.map((one) => one.name)).toEqual(["box @ a", "p @ a"]);
  });
});

describe("a service's page", () => {
  const setUp = () => {
    const hostA = add("a");
    const hostB = add("b");
    const front = add("front @ a", "app.web", hostA);
    const store = add("store @ b", "db.relational", hostB);
    relate("runs-on", front, hostA);
    relate("runs-on", store, hostB);
    relate("talks-to", front, store);
    saveService(
      db,
      { uid: "orders", name: "Orders", purpose: "", owner: "", entries: [{ host: "a", process: "front" }] },
      AT - 30 * DAY_MS,
    );
    refreshServices(db, readGraph(db), AT - 20 * DAY_MS);
    return { hostA, hostB, front, store };
  };
  const service = (more = {}) =>
    servicePage(db, { uid: "orders", atMs: AT, fromMs: AT - HOUR_MS, toMs: AT, ...more }) as NonNullable<
      ReturnType<typeof servicePage>
    >;

  it("draws the telling signals of its members, slow answers first, each line on its component", () => {
    const { hostA, hostB, front } = setUp();
    measure({ componentId: hostA }, "cpu.used", () => 10);
    measure({ componentId: hostB }, "cpu.used", () => 30);
    measure({ componentId: front, resourceId: resource(front) }, "http.server.request.duration.p95", () => 2);
    measure({ componentId: hostA }, "net.errors", () => 0);
    expect(
      serviceSignals(db, { uid: "orders", fromMs: AT - HOUR_MS, toMs: AT }).map((one) => [
        one.metric,
        one.count,
        one.lines.map((line) => [line.label, line.legend.mean, line.componentId]),
      ]),
    ).toEqual([
      ["http.server.request.duration.p95", 1, [["HTTP request duration, p95 · front @ a", 2, front]]],
      [
        "cpu.used",
        2,
        [
          ["CPU usage · b", 30, hostB],
          ["CPU usage · a", 10, hostA],
        ],
      ],
    ]);
  });

  it("tells what its entry points answered, not what they called nor what others answered", () => {
    const { front, store } = setUp();
    const [frontResource, storeResource] = [resource(front, '{"a":"1"}'), resource(store, '{"a":"2"}')];
    const span = (resourceId: number, name: string, kind: number, number: number, durationMs: number, status = 0) => ({
      resourceId,
      traceId: number.toString(16).padStart(32, "0"),
      spanId: number.toString(16).padStart(16, "0"),
      parentId: "",
      name,
      kind,
      startMs: AT - 5000,
      endMs: AT - 5000 + durationMs,
      status,
      detail: null,
    });
    new SpanWriter(db).write([
      span(frontResource, "GET /", 2, 1, 10),
      span(frontResource, "GET /", 2, 2, 1000, 2),
      span(frontResource, "SELECT", 3, 3, 5),
      span(storeResource, "query", 2, 4, 5),
    ]);
    const [only, ...others] = service().operations;
    expect(others).toEqual([]);
    expect(only).toMatchObject({ name: "GET /", sender: "front @ a", calls: 2, failed: 1 });
    // Sketches answer within one percent.
    expect(only?.p99).toBeGreaterThan(985);
    expect(only?.p99).toBeLessThan(1015);
  });

  it("repeats the last warnings and errors of its members, and of nobody else", () => {
    const { front } = setUp();
    const stranger = add("c");
    const [own, other] = [resource(front, '{"a":"1"}'), resource(stranger, '{"a":"2"}')];
    const log = (resourceId: number, severity: number, body: string, atMs = AT - MINUTE_MS) => ({
      atMs,
      severity,
      resourceId,
      body,
      attributes: null,
      traceId: null,
      spanId: null,
    });
    new LogWriter(db).write([
      log(own, 9, "all is well"),
      log(own, 17, "it broke"),
      log(own, 13, "it may break", AT - 2 * MINUTE_MS),
      log(other, 17, "not ours"),
      log(own, 17, "long ago", AT - 3 * HOUR_MS),
    ]);
    expect(service().logs.map((one) => [one.body, one.sender, one.level])).toEqual([
      ["it broke", "front @ a", "error"],
      ["it may break", "front @ a", "warning"],
    ]);
  });

  it("takes in the signals of members that left during the window, and not of those that left before it", () => {
    const { hostB, store } = setUp();
    measure({ componentId: hostB }, "cpu.used", () => 30, 4 * HOUR_MS);
    for (const id of [hostB, store]) retireComponent(db, id, AT - 30 * MINUTE_MS);
    const within = (fromMs: number, toMs: number) =>
      selectSeries(db, { metric: "cpu.used", service: "orders" }, { fromMs, toMs }).map((series) => series.component);
    expect(within(AT - HOUR_MS, AT)).toEqual(["b"]);
    expect(within(AT - 10 * MINUTE_MS, AT)).toEqual([]);
    expect(selectSeries(db, { metric: "cpu.used", service: "orders" })).toEqual([]);
    const drawn = metricsPage(db, {
      selections: [{ metric: "cpu.used", service: "orders" }],
      fromMs: AT - HOUR_MS,
      toMs: AT,
      width: 100,
      overlay: "none",
    });
    expect(drawn.lines.map((line) => line.label)).toEqual(["CPU usage · b"]);
  });

  it("lists an incident of something it shares with others", () => {
    setUp();
    saveService(db, { uid: "other", name: "Billing", purpose: "", owner: "", entries: [] }, AT - DAY_MS);
    const id = openIncident(db, { subject: "component:1", title: "x", severity: "critical" }, AT - 60_000);
    expect(incidentById(db, id)).toMatchObject({ services: [], service: null });
    affectServices(db, id, [1]);
    expect(incidentById(db, id)).toMatchObject({ service: "Orders" });
    affectServices(db, id, [1, 2]);
    expect(incidentById(db, id)).toMatchObject({
      service: "2 services",
      services: [{ name: "Billing" }, { name: "Orders" }],
    });
    expect(service().incidents.map((incident) => incident.id)).toEqual([id]);
  });
});
