import { beforeEach, expect, it } from "vitest";
import { emptyEstate, useStore } from "../../tests/store";
import type { Poller } from "../polling/poller";
import { readSnapshot } from "../store/alarms";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import type { AlarmEvent } from "./alarm-book";
import { Snapshots } from "./snapshots";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
let [host, part, reads] = [0, 0, 0];
let nowMs = AT;

const make = (name: string, hostId: number | null) =>
  insertComponent(
    db,
    {
      kind: hostId === null ? "host.linux" : "app.process",
      name,
      site: "North",
      reason: "test",
      sourceId: null,
      hostId,
      address: null,
      keys: [`k:${name}`],
      facts: {},
    },
    AT - 60_000,
  );
beforeEach(() => {
  emptyEstate(db);
  db.exec("DELETE FROM process_snapshot; DELETE FROM alarm");
  host = make("box", null);
  part = make("job @ box", host);
  [reads, nowMs] = [0, AT];
});

/** A host whose job takes all of a processor: each look is ten seconds of the clock later. */
const snapshots = (pace: number) =>
  new Snapshots({
    db,
    now: () => (nowMs += pace),
    emit: () => undefined,
    isStopping: () => false,
    poller: {
      hosts: new Map([[host, { processes: new Map([["job", part]]) }]]),
      talks: { connectionsOf: () => new Map([[1, 12]]) },
      processesOf: async () => {
        reads++;
        return [
          { pid: 1, name: "store", memoryBytes: 900, cpuHundredths: 10 },
          { pid: 2, name: "job", memoryBytes: 100, cpuHundredths: nowMs / 10 },
        ];
      },
    } as unknown as Poller,
  });

function raised(componentId: number, metric: string): AlarmEvent {
  const alarmId = Number(
    db
      .prepare(
        `INSERT INTO alarm (subject_type, subject_id, detector, metric, direction, alarm_type, qualifier, severity, worst,
           text, onset_at, raised_at, changed_at) VALUES ('component', ?, 'x', ?, 'above', ?, '', 'major', 'major', 'x', 0, 0, 0)`,
      )
      .run(componentId, metric, metric).lastInsertRowid,
  );
  return { what: "raised", alarmId, subject: { type: "component", id: componentId }, metric } as unknown as AlarmEvent;
}

it("keeps for an alarm on a host or on a part of it what each process took, and reads a host once for both", async () => {
  const events = [raised(host, "cpu.used"), raised(part, "calls.slow")];
  await snapshots(1000).take(events);
  expect(reads).toBe(2);
  for (const { alarmId } of events) {
    const { processes = [] } = readSnapshot(db, alarmId) ?? {};
    expect(processes.map((one) => one.name)).toEqual(["job", "store"]);
    expect(processes.find((one) => one.name === "job")?.cpuPercent).toBeGreaterThan(90);
    expect(processes.find((one) => one.name === "store")?.cpuPercent).toBe(0);
    expect(processes.map((one) => one.connections)).toEqual([0, 12]);
  }
});

it("looks once where the clock stands, and not at all where the host does not answer or nobody polls it", async () => {
  const [still, silent] = [raised(host, "memory.used"), raised(host, "reachable")];
  await snapshots(0).take([still, silent, raised(make("other", null), "cpu.used")]);
  expect(reads).toBe(1);
  expect(readSnapshot(db, still.alarmId)?.processes.every((one) => one.cpuPercent === undefined)).toBe(true);
  expect(readSnapshot(db, silent.alarmId)).toBeUndefined();
});
