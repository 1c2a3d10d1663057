import { beforeEach, describe, expect, it } from "vitest";
import { HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { EstateGraph } from "#core/topology/graph";
import { emptyEstate, useStore } from "../../tests/store";
import { deleteMeta, writeMeta, type Db } from "../store/database";
import { componentById, insertComponent } from "../store/estate";
import { keepFinding } from "../store/findings";
import { insertRelation, relationsAt } from "../store/relations";
import { insertResource } from "../store/resources";
import { causesOf } from "./causes";
import { readHarmMap } from "./harm-map";
import { OWN_SITE } from "./own-site";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
beforeEach(() => emptyEstate(db));

const place = (name: string, more: { label?: string; hostId?: number; address?: string } = {}) =>
  insertComponent(
    db,
    {
      kind: "app.process",
      name,
      site: "N",
      reason: "test",
      sourceId: null,
      hostId: null,
      address: null,
      keys: [`k:${name}`],
      facts: {},
      ...more,
    },
    AT - 24 * HOUR_MS,
  );
const nameOf = ({ id }: { id: number }) => componentById(db, id)?.name ?? "a service";
type Alarm = Parameters<typeof causesOf>[1][number];
let made = 0;
const alarm = (type: "component" | "service", id: number, metric: string, onset_at: number): Alarm => ({
  id: ++made,
  subject_type: type,
  subject_id: id,
  subject: `${type} ${id}`,
  metric,
  direction: "above",
  qualifier: "",
  onset_at,
  severity: "major",
  worst: "major",
  series_id: null,
  raised_at: 0,
  text: "",
});

it("a host that answers beside those who run the same is behind what fails of their service and of their callers", () => {
  const [old, fresh] = [place("h-1"), place("h-2")];
  db.prepare("UPDATE component SET kind = 'host.linux' WHERE id IN (?, ?)").run(old, fresh);
  const front = place("front @ h-1", { label: "front", hostId: old });
  db.prepare("UPDATE component SET process = 'front' WHERE id = ?").run(front);
  const link = place("link @ t", { label: "link", hostId: place("t") });
  insertRelation(
    db,
    { type: "talks-to", fromId: link, toId: front, detail: "tcp/443", connections: 3, seenBy: "both" },
    AT - HOUR_MS,
  );
  const graph = new EstateGraph(
    relationsAt(db, AT).map((row) => ({ type: row.type, from: row.from_id, to: row.to_id })),
  );
  const causes = () =>
    causesOf(
      db,
      [
        alarm("component", fresh, "calls.failing", AT),
        alarm("service", 7, "calls.failing", AT),
        alarm("component", link, "calls.failing", AT + 20_000),
      ],
      readHarmMap(db, graph, new Map([[7, new Set([front])]])),
      nameOf,
      AT + MINUTE_MS,
    );
  expect(causes().some((one) => one.explains.length === 3)).toBe(false);
  for (const [host, id] of [
    ["h-1", front],
    ["h-2", fresh],
  ] as const)
    insertResource(
      db,
      JSON.stringify({ "service.name": "front", "host.name": host }),
      { componentId: id, why: "" },
      AT,
    );
  const [first] = causes();
  expect(first).toMatchObject({ name: "h-2", isRoot: true });
  expect(first?.explains).toHaveLength(3);
  expect(first?.probability).toBeGreaterThan(0.9);
});

describe("what the logs of callers say", () => {
  /** A front with two stores of one name on hosts of their own; its log tells of errors. */
  function blamed(text: string, by: "finding" | "alarm" = "finding") {
    const hosts = ["127.20.1.14", "127.20.2.13"].map((address) => place(`host ${address}`, { address }));
    const front = place("front @ f", { label: "front", hostId: place("f") });
    const stores = hosts.map((hostId, at) => place(`store @ h${at}`, { label: "store", hostId }));
    for (const toId of stores)
      insertRelation(
        db,
        { type: "talks-to", fromId: front, toId, detail: "tcp/5432", connections: 3, seenBy: "both" },
        AT - HOUR_MS,
      );
    const graph = new EstateGraph(
      relationsAt(db, AT).map((row) => ({ type: row.type, from: row.from_id, to: row.to_id })),
    );
    const harm = readHarmMap(db, graph, new Map());
    const kind = {
      subject: { type: "component", id: front },
      ruleId: 1,
      seriesId: null,
      detector: "logs",
      metric: "logs.new",
      direction: "above",
      qualifier: "rule 1",
    } as const;
    db.exec("DELETE FROM odd_finding; DELETE FROM rule");
    db.prepare("INSERT INTO rule (id, name) VALUES (1, 'New errors')").run();
    if (by === "finding") keepFinding(db, { ...kind, score: 90, onsetMs: AT, text }, AT);
    const alarms = [
      alarm("component", front, "calls.slow", AT),
      ...(by === "alarm" ? [{ ...alarm("component", front, "logs.new", AT), text }] : []),
    ];
    const causes = causesOf(db, alarms, harm, nameOf, AT + MINUTE_MS);
    return causes.filter((one) => one.reasons.some((why) => why.includes("name it"))).map((one) => one.name);
  }
  it("is evidence on whom they name, by the address where several have the name", () => {
    expect(blamed("New error, 1 times: store at 127.20.1.14 did not answer")).toEqual(["store @ h0"]);
    expect(blamed("New error, 1 times: the store did not answer").sort()).toEqual(["store @ h0", "store @ h1"]);
    expect(blamed("New error, 1 times: restore at 127.20.1.14 failed")).toEqual([]);
    expect(blamed("New error, 9 times: store at 127.20.2.13 did not answer", "alarm")).toEqual(["store @ h1"]);
    expect(blamed("New error, 9 times: restore at 127.20.1.14 failed", "alarm")).toEqual([]);
  });
});

it("takes no date from what lags behind: a budget that burnt for hours makes nothing else late", () => {
  const [front, back] = [place("front"), place("back")];
  insertRelation(
    db,
    { type: "talks-to", fromId: front, toId: back, detail: "tcp/80", connections: 3, seenBy: "both" },
    AT - 24 * HOUR_MS,
  );
  const graph = new EstateGraph(
    relationsAt(db, AT).map((row) => ({ type: row.type, from: row.from_id, to: row.to_id })),
  );
  const harm = readHarmMap(db, graph, new Map([[7, new Set([front])]]));
  const alarms = [
    alarm("component", back, "calls.slow", AT),
    alarm("component", front, "calls.slow", AT + MINUTE_MS),
    alarm("service", 7, "objective.burn", AT - 6 * HOUR_MS),
  ];
  const [cause] = causesOf(db, alarms, harm, nameOf, AT + 5 * MINUTE_MS);
  expect(cause?.componentId).toBe(back);
  expect(cause?.reasons.join("; ")).not.toContain("began before");
  expect(cause?.reasons.join("; ")).toContain("explains all 2 others");
});

/** Three sites that all call each other, each with a switch, two hosts and what runs on one; and what is behind some alarms there. */
function threeSites() {
  const of = Object.fromEntries(
    ["N", "S", "T"].map((site) => {
      const add = (name: string, kind: string, hostId: number | null = null) =>
        insertComponent(
          db,
          {
            kind,
            name: `${name} ${site}`,
            site,
            reason: "test",
            sourceId: null,
            hostId,
            address: hostId === null ? `10.${site.charCodeAt(0)}.0.${name.length}` : null,
            keys: [`k:${name}${site}`],
            facts: {},
          },
          AT - 24 * HOUR_MS,
        );
      const hosts = ["one", "three"].map((name) => add(name, "host.linux"));
      return [site, { hosts: [add("switch", "net.switch"), ...hosts], app: add("app", "app.process", hosts[0]) }];
    }),
  );
  const relate = (fromId: number, toId: number) =>
    insertRelation(
      db,
      { type: "talks-to", fromId, toId, detail: "tcp/80", connections: 3, seenBy: "both" },
      AT - HOUR_MS,
    );
  for (const [from, to] of ["NS", "NT", "ST"].map((pair) => [of[pair[0] as string], of[pair[1] as string]]))
    if (from && to) relate(from.app, to.app);
  const causes = (alarms: Alarm[]) => {
    const graph = new EstateGraph(
      relationsAt(db, AT).map((row) => ({ type: row.type, from: row.from_id, to: row.to_id })),
    );
    return causesOf(db, alarms, readHarmMap(db, graph, new Map()), nameOf, AT + MINUTE_MS);
  };
  return { of, causes };
}

describe("a line between sites that is cut", () => {
  /** What is at the depot does not respond. */
  function cut(own: string) {
    const { of, causes } = threeSites();
    writeMeta(db, OWN_SITE, own);
    const found = causes(
      (of.T?.hosts ?? []).map((id) => ({ ...alarm("component", id, "reachable", AT), direction: "below" as const })),
    );
    deleteMeta(db, OWN_SITE);
    return found.filter((one) => one.line).map((one) => [one.name, one.probability] as const);
  }

  it("is told from others by where we stand: what lies beyond it from here is out of reach", () => {
    expect(cut("N").map(([name]) => name)).toEqual(["Line between N and T"]);
    expect(cut("S").map(([name]) => name)).toEqual(["Line between S and T"]);
  });

  it("is one of two where nobody says where we stand", () => {
    const [first, second] = cut("");
    expect([first?.[0], second?.[0]]).toEqual(["Line between N and T", "Line between S and T"]);
    expect(first?.[1]).toBeCloseTo(second?.[1] ?? 0, 3);
  });
});

it("a line that is cut is told from one of two switches of a site, either of which may lead on", () => {
  const { of, causes } = threeSites();
  const [first = 0, ...hosts] = of.T?.hosts ?? [];
  const second = place("second", { address: "10.84.0.9" });
  hosts.push(...[4, 5, 6, 7].map((one) => place(`host ${one}`, { address: `10.84.0.${one}` })));
  const become = (id: number, kind: string) =>
    db.prepare("UPDATE component SET kind = ?, site = 'T' WHERE id = ?").run(kind, id);
  become(second, "net.switch");
  for (const host of hosts) become(host, "host.linux");
  const wire = (fromId: number, toId: number) =>
    insertRelation(db, { type: "wired-to", fromId, toId, detail: "", connections: 0, seenBy: "" }, AT - HOUR_MS);
  hosts.forEach((host, place) => wire(host, place % 2 ? second : first));
  wire(first, second);
  writeMeta(db, OWN_SITE, "N");
  const silent = (ids: readonly number[]) =>
    causes(ids.map((id) => ({ ...alarm("component", id, "reachable", AT), direction: "below" as const })));
  expect(silent([first, second, ...hosts])[0]?.name).toBe("Line between N and T");
  // What hangs on the other still answers.
  expect(silent([first, ...hosts.filter((_, place) => place % 2 === 0)])[0]?.name).toBe("switch T");
  deleteMeta(db, OWN_SITE);
});

it("a line between sites that loses packets is behind the errors at the switches where it ends too", () => {
  const { of, causes } = threeSites();
  const [north, south] = [of.N, of.S];
  const late = alarm("component", north?.app ?? 0, "calls.slow", AT + MINUTE_MS / 2);
  const ends = [north, south].map((site) => alarm("component", site?.hosts[0] ?? 0, "net.errors", AT));
  const roots = causes([late, ...ends]).filter((one) => one.isRoot);
  expect(roots.map((one) => one.name)).toEqual(["Line between N and S"]);
  // Errors at one switch alone are that switch's own.
  expect(causes(ends.slice(0, 1))[0]?.name).toBe("switch N");
});

describe("errors at a port of a switch", () => {
  /** Three hosts on a switch, on each what answers a front of its own. */
  function rack() {
    const kindOf = (id: number, kind: string) => db.prepare("UPDATE component SET kind = ? WHERE id = ?").run(kind, id);
    const sw = place("switch", { address: "10.0.0.1" });
    kindOf(sw, "net.switch");
    const hosts = [2, 3, 4].map((port) => {
      const host = place(`host ${port}`, { address: `10.0.0.${port}` });
      kindOf(host, "host.linux");
      const store = place(`store @ host ${port}`, { label: `store-${port}`, hostId: host });
      const front = place(`front ${port}`, { label: `front-${port}` });
      const relate = (type: "wired-to" | "runs-on" | "talks-to", fromId: number, toId: number, detail: string) =>
        insertRelation(db, { type, fromId, toId, detail, connections: 3, seenBy: "both" }, AT - HOUR_MS);
      relate("wired-to", host, sw, `port ${port}`);
      relate("runs-on", store, host, "");
      relate("talks-to", front, store, "tcp/5432");
      return { host, front };
    });
    const graph = new EstateGraph(
      relationsAt(db, AT).map((row) => ({ type: row.type, from: row.from_id, to: row.to_id })),
    );
    const causes = (alarms: Alarm[]) => causesOf(db, alarms, readHarmMap(db, graph, new Map()), nameOf, AT + MINUTE_MS);
    const atPort = (port: number) => ({
      ...alarm("component", sw, "net.errors", AT + 20_000),
      subject: "switch",
      qualifier: `port${port}`,
    });
    return { hosts, causes, atPort };
  }

  it("are those of what is wired to it", () => {
    const { hosts, causes, atPort } = rack();
    const slow = alarm("component", hosts[1]?.front ?? 0, "calls.slow", AT);
    const [first] = causes([slow, atPort(3)]);
    expect(first).toMatchObject({ name: "host 3", isRoot: true, unexplained: [] });
    expect(first?.probability).toBeGreaterThan(0.8);
    expect(first?.reasons.join("; ")).toContain("at port3 of switch, where it is wired");
  });

  it("are those of the switch where they are at most of its ports", () => {
    const { hosts, causes, atPort } = rack();
    const slow = hosts.map(({ front }) => alarm("component", front, "calls.slow", AT));
    const roots = causes([...slow, atPort(2), atPort(3), atPort(4)]).filter((one) => one.isRoot);
    expect(roots.map((one) => one.name)).toEqual(["switch"]);
  });

  it("are the switch's own where nothing is known to be wired to it", () => {
    const { causes, atPort } = rack();
    expect(causes([atPort(9)])[0]?.name).toBe("switch");
  });
});
