import { beforeEach, describe, expect, it } from "vitest";
import { runbookSchema } from "#core/repair/runbook";
import { emptyEstate, useStore } from "../../tests/store";
import type { AlarmEvent } from "../alarms/alarm-book";
import { readHarmMap } from "../causes/harm-map";
import { readGraph } from "../estate/services";
import { subjectKey, type Subject } from "../store/alarms";
import type { Db } from "../store/database";
import { currentComponents, insertComponent } from "../store/estate";
import {
  alarmsOfIncident,
  incidentById,
  incidentEvents,
  joinIncident,
  openIncident,
  recentIncidents,
  tellApart,
} from "../store/incidents";
import { insertRelation } from "../store/relations";
import { addVersion } from "../store/runbooks";
import { endRun, insertRun, setProof } from "../store/runs";
import { saveService } from "../store/services";
import { correlate } from "./correlate";
import { refresh, refreshOpen, type Affected } from "./refresh";
import { mergeByCause, splitByCause } from "./regroup";

const AT = Date.parse("2026-03-17T10:00:00Z");
const MINUTE = 60_000;
let db: Db;
useStore((made) => (db = made));
const id: Record<string, number> = {};
/** Members of the one service, by name. */
let members: string[] = [];
let deskId = 0;

const process = (name: string) =>
  insertComponent(
    db,
    {
      kind: "app.process",
      name,
      site: `Place of ${name}`,
      reason: "test",
      sourceId: null,
      hostId: null,
      address: null,
      keys: [`k:${name}`],
      facts: {},
    },
    AT - 86_400_000,
  );

beforeEach(() => {
  emptyEstate(db);
  db.exec(
    "DELETE FROM incident_alarm; DELETE FROM incident_event; DELETE FROM incident_service; DELETE FROM incident; DELETE FROM told_apart; DELETE FROM alarm; DELETE FROM service",
  );
  deskId = saveService(db, { uid: "desk", name: "Desk", purpose: "", owner: "", entries: [] }, AT - 86_400_000);
  members = [];
  for (const name of ["dir", "plan", "desk", "bill", "till", "lone"]) id[name] = process(name);
  const calls = (from: string, to: string) =>
    insertRelation(
      db,
      { type: "talks-to", fromId: id[from] ?? 0, toId: id[to] ?? 0, detail: "", connections: 1, seenBy: "test" },
      AT - 86_400_000,
    );
  // Two services that share the directory and nothing else.
  calls("desk", "plan");
  calls("plan", "dir");
  calls("till", "bill");
  calls("bill", "dir");
});

/** The host that a process runs on, from now on. */
function hostOf(name: string): number {
  const box = insertComponent(
    db,
    {
      kind: "host.linux",
      name: "box",
      site: "Yard",
      reason: "test",
      sourceId: null,
      hostId: null,
      address: null,
      keys: ["k:box"],
      facts: {},
    },
    AT - 86_400_000,
  );
  db.prepare("UPDATE component SET host_id = ? WHERE id = ?").run(box, id[name]);
  insertRelation(
    db,
    { type: "runs-on", fromId: id[name] ?? 0, toId: box, detail: "", connections: 0, seenBy: "test" },
    AT - 86_400_000,
  );
  return box;
}

/** An incident of some alarms that did not come to be by what relates them. */
function incidentOf(...events: readonly AlarmEvent[]): number {
  const [first] = events;
  if (!first) throw new Error("no alarm");
  const { subject, text, atMs } = first;
  const made = openIncident(db, { subject: subjectKey(subject), title: text, severity: "major" }, atMs);
  for (const event of events) joinIncident(db, made, event.alarmId, "test", event.atMs);
  refresh(db, made, affected(), Math.max(...events.map((one) => one.atMs)));
  return made;
}

const nameOf = ({ id: one }: Subject) => currentComponents(db).find((row) => row.id === one)?.name ?? "";
const affected = (): Affected => {
  const graph = readGraph(db);
  return {
    graph,
    harm: () => readHarmMap(db, graph, new Map()),
    servicesOf: (subject) => (members.includes(nameOf(subject)) ? [{ id: deskId, name: "Desk" }] : []),
    nameOf,
    siteOf: ({ type, id: own }) =>
      (type === "component" ? currentComponents(db).find((row) => row.id === own)?.site : undefined) ?? "",
    entriesOf: () => new Set<number>(),
  };
};

function raise(on: string | Subject, minutes: number, metric = "calls.failing"): AlarmEvent {
  const subject: Subject = typeof on === "string" ? { type: "component", id: id[on] ?? 0 } : on;
  const atMs = AT + minutes * MINUTE;
  const alarmId = Number(
    db
      .prepare(
        `INSERT INTO alarm (subject_type, subject_id, detector, metric, direction, alarm_type, qualifier, severity,
           worst, text, onset_at, raised_at, changed_at)
         VALUES (?, ?, 'threshold', ?, 'above', ?, '', 'major', 'major', 'bad', ?, ?, ?)`,
      )
      .run(subject.type, subject.id, metric, `${metric}.high`, atMs, atMs, atMs).lastInsertRowid,
  );
  return {
    what: "raised",
    alarmId,
    subject,
    metric,
    direction: "above",
    detector: "threshold",
    qualifier: "",
    severity: "major",
    text: "bad",
    atMs,
  } as unknown as AlarmEvent;
}
const open = () =>
  recentIncidents(db, Number.MAX_SAFE_INTEGER)
    .filter((row) => row.resolved_at === null)
    .map((row) => row.id);
const inside = (incident: number | undefined) =>
  alarmsOfIncident(db, incident ?? 0)
    .map((alarm) => alarm.subject)
    .sort();

describe("incidents that were sure of causes of their own", () => {
  const cascade = () => {
    correlate(db, [raise("plan", 0), raise("desk", 0.2)], affected());
    correlate(db, [raise("bill", 0.5), raise("till", 0.7)], affected());
    expect(open()).toHaveLength(2);
  };

  it("become one when what both lean on speaks, and is behind both when they are looked at together", () => {
    cascade();
    correlate(db, [raise("dir", 1)], affected());
    const [incident, ...others] = open();
    expect(others).toEqual([]);
    expect(inside(incident)).toEqual(["bill", "desk", "dir", "plan", "till"]);
    const told = incidentEvents(db, incident ?? 0).find((event) => event.kind === "merged");
    expect(told?.text).toMatch(/dir/);
  });

  it("become one too when the host of what both lean on is behind both, and that itself beside it", () => {
    const box = hostOf("dir");
    const badly = (name: string, minutes: number) =>
      ["calls.failing", "calls.slow", "db.client.connection.count", "logs.many"].map((metric) =>
        raise(name, minutes, metric),
      );
    const one = incidentOf(...badly("plan", 0), ...badly("desk", 0.2));
    const other = incidentOf(
      raise({ type: "component", id: box }, 1, "disk.latency"),
      ...badly("bill", 0),
      ...badly("till", 0.5),
      ...badly("dir", 1),
    );
    expect([one, other].map((each) => incidentById(db, each)?.causes[0]?.name)).toEqual(["plan", "box"]);
    mergeByCause(db, new Set([one]), affected(), AT + 4 * MINUTE);
    expect(open()).toHaveLength(1);
  });

  it("stay two where people told them apart", () => {
    cascade();
    const key = (name: string) => subjectKey({ type: "component", id: id[name] ?? 0 });
    for (const one of ["plan", "desk", "dir"])
      for (const other of ["bill", "till"]) tellApart(db, key(one), key(other), "Anna", AT);
    correlate(db, [raise("dir", 1)], affected());
    expect(open()).toHaveLength(2);
  });

  it("stay two where the cause of one does not come to the other", () => {
    correlate(db, [raise("plan", 0), raise("desk", 0.2)], affected());
    correlate(db, [raise("lone", 0.5)], affected());
    correlate(db, [raise("dir", 1)], affected());
    expect(open()).toHaveLength(2);
  });
});

describe("an incident that was over before its cause was known", () => {
  /** Bill and till are well again before the directory, which both lean on, speaks. */
  const overAt = (minutes: number) => {
    correlate(db, [raise("plan", 0), raise("desk", 0.2)], affected());
    const events = [raise("bill", 0.5), raise("till", 0.7)];
    correlate(db, events, affected());
    const atMs = AT + minutes * MINUTE;
    for (const { alarmId } of events)
      db.prepare("UPDATE alarm SET cleared_at = ?, severity = 'cleared' WHERE id = ?").run(atMs, alarmId);
    correlate(
      db,
      events.map((event) => ({ ...event, what: "cleared", atMs }) as AlarmEvent),
      affected(),
    );
    expect(open()).toHaveLength(1);
  };

  it("goes into the one that was open beside it", () => {
    overAt(0.9);
    correlate(db, [raise("dir", 1)], affected());
    const [incident] = open();
    expect(inside(incident)).toEqual(["bill", "desk", "dir", "plan", "till"]);
    expect(recentIncidents(db, 0)).toHaveLength(1);
  });

  it("stays where a person ended it", () => {
    overAt(0.9);
    db.prepare("UPDATE incident_event SET by_whom = 'Anna' WHERE kind = 'resolved'").run();
    correlate(db, [raise("dir", 1)], affected());
    expect(recentIncidents(db, 0)).toHaveLength(2);
  });
});

it("an incident of a process and one of the host that it runs on become one", () => {
  const box = hostOf("lone");
  const host = incidentOf(raise({ type: "component", id: box }, 0, "disk.latency"));
  const process = incidentOf(raise("lone", 2, "logs.many"));
  const causes = [host, process].map((one) => incidentById(db, one)?.causes[0]);
  expect(causes.map((one) => one?.name)).toEqual(["box", "lone"]);
  mergeByCause(db, new Set([process]), affected(), AT + 3 * MINUTE);
  expect(open()).toEqual([host]);
  expect(incidentEvents(db, host).at(-1)?.text).toMatch(
    /^Incident \d+ merged into this one: lone, its likeliest cause, runs on box$/,
  );
});

describe("incidents of which none is sure of its cause", () => {
  /** Three services of two fronts and a store each, that share the directory and nothing else. */
  const entries = new Map<number, Set<number>>();
  const made: number[] = [];
  beforeEach(() => {
    entries.clear();
    made.length = 0;
    for (const name of ["Gates", "Berths", "Papers"]) {
      const fronts = [process(`${name} 1`), process(`${name} 2`)];
      const store = process(`${name} store`);
      for (const fromId of fronts)
        for (const toId of [store, id["dir"] ?? 0])
          insertRelation(
            db,
            { type: "talks-to", fromId, toId, detail: "", connections: 1, seenBy: "test" },
            AT - 86_400_000,
          );
      const service = saveService(db, { uid: name, name, purpose: "", owner: "", entries: [] }, AT - 86_400_000);
      entries.set(service, new Set(fronts));
      made.push(service);
    }
  });
  const known = (): Affected => {
    const graph = readGraph(db);
    return {
      ...affected(),
      graph,
      harm: () => readHarmMap(db, graph, entries),
      servicesOf: ({ type, id: own }) => (type === "service" ? [{ id: own, name: `service ${own}` }] : []),
      entriesOf: (own) => entries.get(own) ?? new Set(),
    };
  };
  const slow = (place: number, minutes: number) =>
    correlate(db, [raise({ type: "service", id: made[place] ?? 0 }, minutes, "calls.slow")], known());

  it("become one when what all of them lean on is likely as soon as they are looked at together", () => {
    slow(0, 0);
    expect(incidentById(db, open()[0] ?? 0)?.causes[0]?.probability).toBeLessThan(0.5);
    slow(1, 2);
    slow(2, 4);
    const [incident, ...others] = open();
    expect(others).toEqual([]);
    expect(alarmsOfIncident(db, incident ?? 0)).toHaveLength(3);
    expect(incidentById(db, incident ?? 0)?.causes[0]).toMatchObject({ name: "dir", isRoot: true });
    const told = incidentEvents(db, incident ?? 0).filter((event) => event.kind === "merged");
    expect(told.map((event) => event.text)).toContainEqual(
      expect.stringMatching(/^Incident \d+ merged into this one: looked at together, dir is behind both$/),
    );
  });

  it("stay apart where one began long before the other, and where people told them apart", () => {
    slow(0, 0);
    slow(1, 45);
    expect(open()).toHaveLength(2);
    const key = (place: number) => subjectKey({ type: "service", id: made[place] ?? 0 });
    for (const place of [0, 1]) tellApart(db, key(place), key(2), "Anna", AT);
    slow(2, 46);
    expect(open()).toHaveLength(3);
  });
});

describe("an incident with two causes that have nothing to do with each other", () => {
  /** Put together because both are of the one service. */
  const mixed = (metric: string) => {
    members = ["desk", "lone"];
    correlate(db, [raise("desk", 0)], affected());
    correlate(db, [raise("lone", 1, metric)], affected());
    expect(open()).toHaveLength(1);
  };

  it("is split once it had time to settle, and says why", () => {
    mixed("process.memory");
    const [first] = open();
    correlate(db, [raise("desk", 4, "calls.slow")], affected());
    expect(open()).toHaveLength(2);
    const [, made] = open();
    expect(inside(first)).toEqual(["desk", "desk"]);
    expect(inside(made)).toEqual(["lone"]);
    expect(incidentEvents(db, made ?? 0)[0]?.text).toBe(
      `Split off from incident ${first}: lone explains them, and nothing joins it to the rest`,
    );
    // It stays so.
    correlate(db, [raise("desk", 5, "logs.many")], affected());
    expect(open()).toHaveLength(2);
  });

  it("is split too where several causes of one side have to do with each other", () => {
    members = ["desk", "plan", "lone"];
    correlate(
      db,
      [
        raise("lone", 0, "process.memory"),
        raise("plan", 1, "process.memory"),
        raise("plan", 1, "calls.failing"),
        raise("desk", 1.1, "calls.failing"),
        raise("desk", 1.2, "process.memory"),
      ],
      affected(),
    );
    const [first = 0, ...others] = open();
    expect(others).toEqual([]);
    expect(incidentById(db, first)?.causes.filter((one) => one.isRoot).length).toBeGreaterThan(2);
    correlate(db, [raise("desk", 4, "calls.slow")], affected());
    expect(open().map(inside)).toEqual([["lone"], ["desk", "desk", "desk", "plan", "plan"]]);
  });

  it("is split too where a service that the one hurts says the same as one that the other hurts", () => {
    members = ["desk", "lone"];
    const yard = saveService(db, { uid: "yard", name: "Yard", purpose: "", owner: "", entries: [] }, AT - 86_400_000);
    const entries = new Map([
      [deskId, new Set([id["desk"] ?? 0])],
      [yard, new Set([id["lone"] ?? 0])],
    ]);
    const known = (): Affected => {
      const one = affected();
      return {
        ...one,
        harm: () => readHarmMap(db, one.graph, entries),
        entriesOf: (service) => entries.get(service) ?? new Set(),
      };
    };
    const slow = (service: number, minutes: number) => raise({ type: "service", id: service }, minutes, "calls.slow");
    correlate(db, [raise("desk", 0), slow(deskId, 0.2)], known());
    correlate(db, [raise("lone", 1, "process.memory"), slow(yard, 1.2)], known());
    expect(open()).toHaveLength(1);
    correlate(db, [raise("desk", 4, "calls.slow")], known());
    expect(open().map((one) => inside(one).length)).toEqual([3, 2]);
  });

  describe("that began long after one another", () => {
    /** Lone, then plan three quarters of an hour later; the service is slow at some minute, and both could be behind it. */
    function splitWhereSlowAt(minutes: number): string[][] {
      const events = [raise("lone", 0, "reachable"), raise("desk", 45), raise("plan", 46, "reachable")];
      const slow = raise({ type: "service", id: deskId }, minutes, "calls.slow");
      const odd = raise("till", 47, "logs.many");
      const made = incidentOf(...events, slow, odd);
      const [lone, desk, plan] = events.map((one) => one.alarmId);
      const root = (name: string, explains: (number | undefined)[]) => ({
        componentId: id[name],
        serviceId: null,
        line: null,
        name,
        probability: 0.9,
        isRoot: true,
        explains,
        unexplained: [],
        reasons: [],
      });
      const causes = [root("lone", [lone, slow.alarmId]), root("plan", [plan, desk, slow.alarmId])];
      db.prepare("UPDATE incident SET causes = ? WHERE id = ?").run(JSON.stringify(causes), made);
      splitByCause(db, new Set([made]), affected(), AT + 50 * MINUTE);
      return open().map(inside);
    }
    it("is split where what both could be behind came with the later, and so did what neither explains", () => {
      expect(splitWhereSlowAt(45)).toEqual([["lone"], ["Desk", "desk", "plan", "till"]]);
    });
    it("is split where that came with the earlier", () => {
      expect(splitWhereSlowAt(1)).toEqual([
        ["Desk", "lone"],
        ["desk", "plan", "till"],
      ]);
    });
    it("stays one where that came soon after the one and before the other", () => {
      expect(splitWhereSlowAt(25)).toHaveLength(1);
    });
  });

  it("takes along what no cause explains, where the same is wrong at the same place", () => {
    const yard = (name: string) => {
      const made = process(name);
      db.prepare("UPDATE component SET site = 'Yard' WHERE id = ?").run(made);
      return made;
    };
    const [shop, shed] = [yard("shop"), yard("shed")];
    const on = (component: number, minutes: number, metric: string) =>
      raise({ type: "component", id: component }, minutes, metric);
    const events = [
      raise("desk", 0, "process.memory"),
      on(shop, 1, "calls.slow"),
      on(shed, 1, "calls.slow"),
      raise("till", 1, "calls.slow"),
    ];
    const made = incidentOf(...events);
    const [memory, slow] = events.map((one) => one.alarmId);
    const root = (component: number | undefined, name: string, explains: (number | undefined)[]) => ({
      componentId: component,
      serviceId: null,
      line: null,
      name,
      probability: 0.9,
      isRoot: true,
      explains,
      unexplained: [],
      reasons: [],
    });
    const causes = [root(id["desk"], "desk", [memory]), root(shop, "shop", [slow])];
    db.prepare("UPDATE incident SET causes = ? WHERE id = ?").run(JSON.stringify(causes), made);
    expect(splitByCause(db, new Set([made]), affected(), AT + 5 * MINUTE)).toHaveLength(1);
    expect(open().map(inside)).toEqual([
      ["desk", "till"],
      ["shed", "shop"],
    ]);
  });

  it("never comes to be where one begins long after the cause of the other was known", () => {
    members = ["desk", "lone"];
    correlate(db, [raise("desk", 0)], affected());
    correlate(db, [raise("lone", 31, "process.memory")], affected());
    expect(open().map(inside)).toEqual([["desk"], ["lone"]]);
    expect(incidentEvents(db, open()[1] ?? 0)[0]?.text).toBe("Opened: first alarm affecting Desk within 15 min");
    // What is in it already comes back to it, however late.
    correlate(db, [raise("desk", 70, "calls.slow")], affected());
    expect(open().map(inside)).toEqual([["desk", "desk"], ["lone"]]);
  });

  it("stays whole where the cause of one hurts the other", () => {
    members = ["desk", "plan"];
    correlate(db, [raise("plan", 0, "process.memory")], affected());
    correlate(db, [raise("desk", 4)], affected());
    expect(open()).toHaveLength(1);
  });
});

it("is titled by what is wrong with its cause, before how that answers", () => {
  members = ["desk"];
  correlate(db, [raise("desk", 0)], affected());
  const [incident = 0] = open();
  expect(incidentById(db, incident)?.title).toBe("Desk: calls fail on desk");
  correlate(db, [raise("desk", 0.5, "db.client.connection.count")], affected());
  expect(incidentById(db, incident)?.title).toBe("Desk: no connection is free on desk");
});

describe("an incident of which one cause is repaired", () => {
  const plan = () => ({ type: "component" as const, id: id["plan"] ?? 0 });
  const clear = (name: string, minutes: number) =>
    db
      .prepare("UPDATE alarm SET cleared_at = ?, severity = 'cleared' WHERE subject_id = ?")
      .run(AT + minutes * MINUTE, id[name] ?? 0);
  /** A run on the plan of which the figures came back. */
  const repaired = (incident: number, minutes: number) => {
    const definition = runbookSchema.parse({
      uid: "mend",
      name: "Mend",
      purpose: "Mends.",
      kinds: ["app.process"],
      steps: [{ type: "approve", title: "May it?", role: "responder" }],
    });
    const { id: runbookId } = addVersion(db, definition, { state: "approved", remark: "", by: "Anna", atMs: AT });
    const run = insertRun(
      db,
      {
        runbookId,
        version: null,
        definition,
        componentId: plan().id,
        incidentId: incident,
        policyId: null,
        args: {},
        by: "Edo Brandsma-Quill",
        laid: [],
        rulings: [],
        watched: [],
      },
      AT + (minutes - 1) * MINUTE,
    );
    endRun(db, run, "passed", null, AT + (minutes - 0.5) * MINUTE);
    setProof(db, run, { proof: "proved", words: "", atMs: AT + minutes * MINUTE });
  };
  const first = (incident: number) => incidentById(db, incident)?.causes[0]?.name;
  const begin = () => {
    members = ["desk", "lone"];
    correlate(
      db,
      [raise("plan", 0, "process.memory"), raise("desk", 0.2), raise("lone", 1, "process.memory")],
      affected(),
    );
    const [incident = 0, ...others] = open();
    expect(others).toEqual([]);
    return incident;
  };

  it("names what still stands, and not what is over", () => {
    const incident = begin();
    expect(first(incident)).toBe("plan");
    for (const one of ["plan", "desk"]) clear(one, 2);
    refreshOpen(db, incident, affected(), AT + 2 * MINUTE);
    expect(first(incident)).toBe("plan");
    repaired(incident, 2);
    refreshOpen(db, incident, affected(), AT + 2.1 * MINUTE);
    expect(first(incident)).toBe("lone");
    // When all is over, it is told of as it was.
    clear("lone", 3);
    refreshOpen(db, incident, affected(), AT + 3 * MINUTE);
    expect(incidentById(db, incident)).toMatchObject({ resolved_at: AT + 3 * MINUTE });
    expect(first(incident)).toBe("plan");
  });

  it("names the same where all that stands is its own", () => {
    const incident = begin();
    for (const one of ["plan", "lone"]) clear(one, 2);
    repaired(incident, 2);
    refreshOpen(db, incident, affected(), AT + 2.1 * MINUTE);
    expect(first(incident)).toBe("plan");
  });

  it("names it again when the same comes back after the proof", () => {
    const incident = begin();
    for (const one of ["plan", "desk"]) clear(one, 2);
    repaired(incident, 2);
    correlate(db, [raise("plan", 3, "process.memory"), raise("desk", 3.2)], affected());
    expect(first(incident)).toBe("plan");
  });
});
