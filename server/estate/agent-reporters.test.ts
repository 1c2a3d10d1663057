import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import type { Batch } from "../receivers/batch";
import { changesIn } from "../store/changes";
import { migrate, openStore, type Db } from "../store/database";
import { componentById, currentComponents, insertComponent, retireComponent } from "../store/estate";
import { factsAt } from "../store/facts";
import { currentRelations } from "../store/relations";
import { readSamples, seriesOfComponent } from "../store/signals";
import { insertSource } from "../store/sources";
import { BatchIngest } from "../ingest/batches";
import { SampleWriter } from "../ingest/sample-writer";

const AT = Date.parse("2026-03-17T10:00:00Z");
const EVERY = 15_000;
const [ONE, TWO] = ["a1".repeat(32), "b2".repeat(32)];
let folder: string;
let db: Db;
let sampleWriter: SampleWriter;
let batches: BatchIngest;
let handle: number;
/** Whether the last batch made something known. */
let grown = false;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
  db = openStore(join(folder, "store.db"), "writer");
  migrate(db, join(process.cwd(), "server", "store", "migrations"));
  sampleWriter = new SampleWriter(db);
  batches = new BatchIngest(db, sampleWriter);
  handle = 1;
});
afterEach(() => {
  db.close();
  rmSync(folder, { recursive: true, force: true });
});

const host = (name = "crane-07", changes = {}) => ({
  "host.name": `${name}.example`,
  "host.ip": "198.51.100.7",
  "os.type": "linux",
  "telemetry.distro.name": "holotaxis-agent",
  "report.seconds": "15",
  ...changes,
});
const container = (id: string, name: string, on = "crane-07") => ({
  "container.id": id,
  "container.name": name,
  "host.name": `${on}.example`,
});

/** One sample from each sender, as the receivers would hand it over; `known` senders keep their handles. */
const handles = new Map<string, number>();
function send(atMs: number, ...senders: Record<string, string>[]): void {
  const batch: Batch = {
    resources: [],
    series: [],
    handles: new Int32Array(senders.length),
    times: new Float64Array(senders.length).fill(atMs),
    values: new Float64Array(senders.length).fill(1),
    logs: [],
    spans: [],
    events: [],
    exemplars: [],
  };
  senders.forEach((attributes, index) => {
    const key = JSON.stringify(attributes);
    let series = handles.get(key);
    if (series === undefined) {
      const resource = handle++;
      series = handle++;
      handles.set(key, series);
      batch.resources.push({ handle: resource, attributes });
      batch.series.push({ handle: series, resource, metric: "m", instance: "", unit: "1", instrument: "gauge" });
    }
    batch.handles[index] = series;
  });
  grown = batches.commit([batch], atMs).grown;
}
beforeEach(() => handles.clear());

function look(atMs: number) {
  const result = sampleWriter.commit("everything", () => batches.listen(atMs));
  if (result.retired.length) batches.reload();
  return result;
}
const present = () =>
  currentComponents(db)
    .map((row) => row.name)
    .sort();
const idOf = (name: string) => currentComponents(db).find((row) => row.name === name)?.id as number;
const swept = (name: string) => {
  const source = insertSource(
    db,
    {
      kind: "range",
      name: `s${name}`,
      site: "Room",
      settings: { ranges: "127.0.0.1", ports: "", snmpPort: 161 },
      pollSeconds: 60,
    },
    "x",
    0,
  );
  const id = insertComponent(
    db,
    {
      kind: "host.linux",
      name,
      site: "Room",
      sourceId: source,
      hostId: null,
      address: "198.51.100.9",
      reason: "",
      keys: [`name:${name}.example`],
      facts: {},
    },
    AT - DAY_MS,
  );
  batches.reload();
  return id;
};

describe("what senders tell of", () => {
  describe("what runs in a container", () => {
    const running = (program: string) => ({ "process.executable.name": program });
    const process = (name: string, hostId: number) =>
      insertComponent(
        db,
        {
          kind: "app.process",
          name: `${name} @ crane-07`,
          site: "Room",
          sourceId: null,
          hostId,
          address: null,
          process: name,
          label: name,
          reason: "",
          keys: [`process:${hostId} ${name}`],
          facts: {},
        },
        AT - DAY_MS,
      );
    const inside = () =>
      currentRelations(db)
        .filter((one) => one.type === "runs-on" && componentById(db, one.to_id)?.kind === "app.container")
        .map((one) => [componentById(db, one.from_id)?.name, componentById(db, one.to_id)?.name]);

    it("is the process of its host that it names", () => {
      const on = swept("crane-07");
      process("slotd", on);
      process("sshd", on);
      send(AT, { ...container(ONE, "slots"), ...running("slotd") });
      expect(inside()).toEqual([["slotd @ crane-07", "slots @ crane-07"]]);
    });
    it("is not known where two containers of the host run the same, nor where none says what it runs", () => {
      const on = swept("crane-07");
      process("slotd", on);
      send(AT, container(ONE, "slots"));
      expect(inside()).toEqual([]);
      send(
        AT + EVERY,
        { ...container(ONE, "one"), ...running("hookd") },
        { ...container(TWO, "two"), ...running("hookd") },
      );
      process("hookd", on);
      send(AT + 2 * EVERY, { ...container(TWO, "two again"), ...running("hookd") });
      expect(inside()).toEqual([]);
    });
  });

  it("becomes part of the estate with one batch, hosts and the containers on them", () => {
    send(AT, container(ONE, "slots"), host());
    expect(present()).toEqual(["crane-07", "slots @ crane-07"]);
    expect(grown).toBe(true);
    const [relation] = currentRelations(db);
    expect(relation).toMatchObject({ type: "runs-on", from_id: idOf("slots @ crane-07"), to_id: idOf("crane-07") });
    expect(componentById(db, idOf("crane-07"))).toMatchObject({
      kind: "host.linux",
      address: "198.51.100.7",
      site: "no site",
    });
    expect(seriesOfComponent(db, idOf("slots @ crane-07")).map((series) => series.metric)).toEqual(["m"]);
    expect(
      changesIn(db, AT, AT)
        .map((change) => change.summary)
        .sort(),
    ).toEqual(["crane-07 was found for the first time", "slots @ crane-07 was found for the first time"]);
  });
  it("is not found twice, whatever comes later", () => {
    send(AT, host(), container(ONE, "slots"));
    send(AT + EVERY, host(), container(ONE, "slots"));
    send(AT + 2 * EVERY, host("crane-07", { "host.ip": "198.51.100.8" }));
    expect(present()).toEqual(["crane-07", "slots @ crane-07"]);
    expect(grown).toBe(false);
  });
  it("is the host that a sweep found, where there is one", () => {
    const id = swept("crane-07");
    send(AT, host(), container(ONE, "slots"));
    expect(idOf("crane-07")).toBe(id);
    expect(factsAt(db, id, AT).find((fact) => fact.name === "agent")?.value).toBe("version unknown, every 15 s");
    expect(present()).toEqual(["crane-07", "slots @ crane-07"]);
  });
  it("keeps two containers of one name apart", () => {
    send(AT, host(), container(ONE, "slots"), container(TWO, "slots"));
    expect(present()).toEqual(["crane-07", "slots @ crane-07", "slots-b2b2b2 @ crane-07"]);
  });
  it("waits until the host is known", () => {
    send(AT, container(ONE, "slots"));
    expect(present()).toEqual([]);
    send(AT + EVERY, host());
    send(AT + EVERY, container(ONE, "slots"));
    expect(present()).toEqual(["crane-07", "slots @ crane-07"]);
    // What came before it was known went with its sender.
    const [series] = seriesOfComponent(db, idOf("slots @ crane-07"));
    expect([...readSamples(db, series?.id as number, 0, AT * 2).times]).toEqual([AT, AT + EVERY]);
  });
  it("leaves the memory as it was when the batch fails", () => {
    db.exec("CREATE TRIGGER full BEFORE INSERT ON resource BEGIN SELECT RAISE(ABORT, 'the disk is full'); END");
    grown = false;
    expect(() => send(AT, host())).toThrow("full");
    db.exec("DROP TRIGGER full");
    handles.clear();
    expect(present()).toEqual([]);
    expect(grown).toBe(false);
    send(AT + EVERY, host());
    expect(present()).toEqual(["crane-07"]);
  });
});

describe("what falls silent", () => {
  const reachable = () => {
    const series = seriesOfComponent(db, idOf("crane-07")).find((one) => one.metric === "reachable");
    return series ? [...readSamples(db, series.id, 0, AT * 2).values] : [];
  };
  it("counts as not answering after two and a half reports, and as answering again with the next", () => {
    send(AT, host());
    expect(look(AT + 1000).heard).toEqual([idOf("crane-07")]);
    expect(look(AT + 2 * EVERY).heard).toEqual([idOf("crane-07")]);
    expect(look(AT + 3 * EVERY).heard).toEqual([]);
    send(AT + 4 * EVERY, host());
    look(AT + 4 * EVERY);
    expect(reachable()).toEqual([1, 1, 0, 1]);
  });
  it("is not judged by its agent where it is polled", () => {
    swept("crane-07");
    send(AT, host());
    look(AT + HOUR_MS);
    expect(reachable()).toEqual([]);
  });
  it("leaves the estate when it is a container and its host goes on without it", () => {
    send(AT, host(), container(ONE, "slots"));
    send(AT + 6 * MINUTE_MS, host());
    const id = idOf("slots @ crane-07");
    expect(look(AT + 6 * MINUTE_MS).retired).toEqual([id]);
    expect(present()).toEqual(["crane-07"]);
    expect(currentRelations(db)).toEqual([]);
    // Its history stays its own.
    expect(seriesOfComponent(db, id).map((series) => series.metric)).toEqual(["m"]);
    expect(
      seriesOfComponent(db, idOf("crane-07")).some(
        (series) => series.metric === "m" && series.resource_id === seriesOfComponent(db, id)[0]?.resource_id,
      ),
    ).toBe(false);
  });
  it("does not leave while its host is silent too: then nobody knows", () => {
    send(AT, host(), container(ONE, "slots"));
    expect(look(AT + 6 * MINUTE_MS).retired).toEqual([]);
    expect(present()).toContain("slots @ crane-07");
  });
  it("comes back as the same when it speaks again", () => {
    send(AT, host(), container(ONE, "slots"));
    const id = idOf("slots @ crane-07");
    send(AT + 6 * MINUTE_MS, host());
    look(AT + 6 * MINUTE_MS);
    send(AT + 7 * MINUTE_MS, host(), container(ONE, "slots"));
    expect(idOf("slots @ crane-07")).toBe(id);
    expect(changesIn(db, AT, AT + HOUR_MS).map((change) => change.summary)).toContain("slots @ crane-07 is back");
  });
  it("leaves after a day when only its agent told of it, with what is on it", () => {
    send(AT, host(), container(ONE, "slots"));
    expect(look(AT + DAY_MS - 1).retired).toEqual([]);
    expect(look(AT + DAY_MS + 1).retired.sort()).toHaveLength(2);
    expect(present()).toEqual([]);
    send(AT + DAY_MS + HOUR_MS, host());
    expect(present()).toEqual(["crane-07"]);
  });
  it("is given time after the server was started anew", () => {
    send(AT, host(), container(ONE, "slots"));
    batches = new BatchIngest(db, sampleWriter);
    batches.expect(AT + HOUR_MS);
    expect(look(AT + HOUR_MS + 1000)).toMatchObject({
      heard: [idOf("crane-07"), idOf("slots @ crane-07")],
      retired: [],
    });
  });
});

it("signals of what left the estate stay with it, until something present has its name", () => {
  const first = swept("crane-07");
  send(AT, { "host.name": "crane-07" });
  retireComponent(db, first, AT + 1);
  batches.reload();
  expect(seriesOfComponent(db, first)).toHaveLength(1);
  const source = insertSource(
    db,
    {
      kind: "range",
      name: "again",
      site: "Room",
      settings: { ranges: "127.0.0.1", ports: "", snmpPort: 161 },
      pollSeconds: 60,
    },
    "x",
    0,
  );
  const second = insertComponent(
    db,
    {
      kind: "host.linux",
      name: "crane-07",
      site: "Room",
      sourceId: source,
      hostId: null,
      address: null,
      reason: "",
      keys: ["other"],
      facts: {},
    },
    AT + 2,
  );
  batches.reload();
  expect(seriesOfComponent(db, second)).toHaveLength(1);
});
