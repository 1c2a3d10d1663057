import { beforeEach, describe, expect, it } from "vitest";
import { EstateGraph } from "#core/topology/graph";
import { emptyEstate, useStore } from "../../tests/store";
import type { AlarmEvent } from "../alarms/alarm-book";
import type { Subject } from "../store/alarms";
import type { Db } from "../store/database";
import { currentComponents, insertComponent } from "../store/estate";
import {
  alarmsOfIncident,
  confirmCause,
  incidentById,
  incidentEvents,
  recentIncidents,
  setPriority,
  setWaiting,
  takeIncident,
} from "../store/incidents";
import { insertRelation } from "../store/relations";
import { readGraph } from "../estate/services";
import { mergeByHand, splitByHand } from "./by-hand";
import { correlate } from "./correlate";
import type { Affected } from "./refresh";
import { readHarmMap } from "../causes/harm-map";

const AT = Date.parse("2026-03-17T10:00:00Z");
const MINUTE = 60_000;
let db: Db;
useStore((made) => (db = made));
const id: Record<string, number> = {};
let harm: ReturnType<typeof readHarmMap>;
let graph: EstateGraph;

beforeEach(() => {
  emptyEstate(db);
  db.exec(
    "DELETE FROM incident_alarm; DELETE FROM incident_event; DELETE FROM incident; DELETE FROM told_apart; DELETE FROM alarm",
  );
  const make = (name: string, kind: string, host?: number) =>
    (id[name] = insertComponent(
      db,
      {
        kind,
        name,
        site: "North Quay",
        reason: "test",
        sourceId: null,
        hostId: host ?? null,
        address: host === undefined ? "192.0.2.1" : null,
        keys: [`k:${name}`],
        facts: {},
      },
      AT - 86_400_000,
    ));
  const relate = (type: "talks-to" | "runs-on" | "hosted-by" | "stored-on", from: string, to: string) =>
    insertRelation(
      db,
      { type, fromId: id[from] ?? 0, toId: id[to] ?? 0, detail: "", connections: 1, seenBy: "test" },
      AT - 86_400_000,
    );
  make("virt", "host.hypervisor");
  for (const one of ["a", "b", "c"]) {
    make(one, "host.linux");
    relate("hosted-by", one, "virt");
  }
  make("lone", "host.linux");
  graph = readGraph(db);
  harm = readHarmMap(db, graph, new Map());
});

const affected = (): Affected => {
  const rows = new Map(currentComponents(db).map((row) => [row.id, row]));
  return {
    graph,
    harm: () => harm,
    servicesOf: () => [],
    nameOf: ({ id: one }: Subject) => rows.get(one)?.name ?? "",
    siteOf: () => "",
    entriesOf: () => new Set<number>(),
  };
};
function raise(name: string, minute: number, metric = "memory.used"): AlarmEvent {
  const atMs = AT + minute * MINUTE;
  const alarm = Number(
    db
      .prepare(
        `INSERT INTO alarm (subject_type, subject_id, detector, metric, direction, alarm_type, qualifier, severity,
           worst, text, onset_at, raised_at, changed_at)
         VALUES ('component', ?, 'threshold', ?, 'above', ?, '', 'critical', 'critical', 'x', ?, ?, ?)`,
      )
      .run(id[name], metric, `${metric}.high`, atMs, atMs, atMs).lastInsertRowid,
  );
  return {
    what: "raised",
    alarmId: alarm,
    subject: { type: "component", id: id[name] ?? 0 },
    metric,
    direction: "above",
    detector: "threshold",
    qualifier: "",
    severity: "critical",
    text: "x",
    atMs,
  } as unknown as AlarmEvent;
}
const open = () => recentIncidents(db, Number.MAX_SAFE_INTEGER).map((row) => row.id);

describe("incidents by hand", () => {
  it("are merged: alarms, and what was told, go into the other, and the first says where it went", () => {
    correlate(db, [raise("a", 0)], affected());
    correlate(db, [raise("lone", 1)], affected());
    const [first, second] = open().sort((a, b) => a - b);
    if (first === undefined || second === undefined) throw new Error("two incidents expected");
    takeIncident(db, second, "Bo", AT + MINUTE);
    mergeByHand(db, second, first, "Anna", affected(), AT + 2 * MINUTE);
    expect(alarmsOfIncident(db, first)).toHaveLength(2);
    // Who had the one has both.
    expect(incidentById(db, first)?.taken_by).toBe("Bo");
    expect(open()).toEqual([first]);
    expect(incidentById(db, second)).toMatchObject({ merged_into: first, resolved_at: AT + 2 * MINUTE });
    expect(incidentEvents(db, first).at(-1)?.text).not.toBe("");
    expect(incidentEvents(db, first).map((event) => event.by_whom)).toContain("Anna");
    expect(() => mergeByHand(db, second, first, "Anna", affected(), AT)).toThrow(`merged into incident ${first}`);
    expect(() => mergeByHand(db, first, first, "Anna", affected(), AT)).toThrow("into itself");
    expect(() => mergeByHand(db, first, 9999, "Anna", affected(), AT)).toThrow("There is no incident 9999");
  });
  it.each([
    ["where nobody had done it in the other, it holds there", false],
    ["where somebody had, theirs stays", true],
  ])("are merged with what people did: %s", (_, had) => {
    correlate(db, [raise("a", 0)], affected());
    correlate(db, [raise("lone", 1)], affected());
    const [first, second] = open().sort((a, b) => a - b) as [number, number];
    const work = (incident: number, priority: 1 | 3, words: string) => {
      setPriority(db, incident, priority, words);
      setWaiting(db, incident, words);
      confirmCause(db, incident, { name: "a", componentId: id.a as number, text: words } as never, words, AT + MINUTE);
    };
    work(second, 1, "Bo");
    if (had) work(first, 3, "Cy");
    mergeByHand(db, second, first, "Anna", affected(), AT + 2 * MINUTE);
    const words = had ? "Cy" : "Bo";
    expect(incidentById(db, first)).toMatchObject({
      priority: had ? 3 : 1,
      priority_reason: words,
      waiting_for: words,
      confirmed: expect.objectContaining({ text: words }),
      confirmed_by: words,
      confirmed_at: AT + MINUTE,
    });
  });
  it("are split, and what was told apart is never put together by itself again, until somebody merges it", () => {
    correlate(db, [raise("virt", 0), raise("a", 0)], affected());
    const [incident] = open();
    if (incident === undefined) throw new Error("an incident expected");
    const alarms = alarmsOfIncident(db, incident);
    expect(alarms).toHaveLength(2);
    const own = alarms.find((one) => one.subject === "a")?.id ?? 0;
    expect(() => splitByHand(db, incident, [], "Anna", affected(), AT)).toThrow("Choose the alarms");
    expect(() =>
      splitByHand(
        db,
        incident,
        alarms.map((one) => one.id),
        "Anna",
        affected(),
        AT,
      ),
    ).toThrow("Leave at least one");
    const made = splitByHand(db, incident, [own], "Anna", affected(), AT + MINUTE);
    expect(alarmsOfIncident(db, incident).map((one) => one.subject)).toEqual(["virt"]);
    expect(alarmsOfIncident(db, made).map((one) => one.subject)).toEqual(["a"]);
    // The next on the same host goes where that one went, not to what it was told apart from.
    correlate(db, [raise("a", 2, "cpu.used")], affected());
    expect(alarmsOfIncident(db, made)).toHaveLength(2);
    expect(alarmsOfIncident(db, incident)).toHaveLength(1);
    mergeByHand(db, made, incident, "Ben", affected(), AT + 3 * MINUTE);
    correlate(db, [raise("a", 4, "disk.used")], affected());
    expect(alarmsOfIncident(db, incident)).toHaveLength(4);
  });
});

it("a cause that people confirmed counts when the same is seen again", () => {
  correlate(db, [raise("a", 0, "cpu.stolen"), raise("b", 0, "cpu.stolen")], affected());
  const [first = 0] = open();
  confirmCause(
    db,
    first,
    { componentId: id.virt ?? 0, line: null, name: "virt", remark: "too many machines" },
    "Anna",
    AT + MINUTE,
  );
  db.exec("UPDATE incident SET resolved_at = opened_at + 60000; UPDATE alarm SET cleared_at = raised_at + 60000");
  const again = 24 * 60;
  correlate(db, [raise("a", again, "cpu.stolen"), raise("b", again, "cpu.stolen")], affected());
  const cause = incidentById(db, open()[0] ?? 0)?.causes.find((one) => one.name === "virt");
  expect(cause?.reasons.join("; ")).toContain("was the cause of an incident like this one, as confirmed");
});

it("incidents are merged by themselves when the likeliest cause of both is the same", () => {
  // Two hosts wait for the processors of one hypervisor, told of apart; then the hypervisor itself speaks.
  correlate(db, [raise("a", 0, "cpu.stolen")], affected());
  const [first] = open();
  correlate(db, [raise("virt", 1, "cpu.used"), raise("b", 1, "cpu.stolen"), raise("c", 1, "cpu.stolen")], affected());
  expect(open()).toEqual([first]);
  const incident = incidentById(db, first ?? 0);
  expect(incident?.causes[0]).toMatchObject({ name: "virt", isRoot: true });
  expect(incident?.causes[0]?.reasons.join("; ")).toContain("CPU is saturated on it itself");
  expect(incidentEvents(db, first ?? 0).some((event) => event.kind === "cause" && event.text.includes("virt"))).toBe(
    true,
  );
});
