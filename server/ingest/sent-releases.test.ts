import { beforeEach, describe, expect, it } from "vitest";
import { MINUTE_MS } from "#core/time/windows";
import { useStore } from "../../tests/store";
import { changesIn, insertChange, rollOuts } from "../store/changes";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { factsAt, writeFact } from "../store/facts";
import { SentReleases } from "./sent-releases";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
let gate: number;
beforeEach(() => {
  db.exec("DELETE FROM change; DELETE FROM fact; DELETE FROM component_key; DELETE FROM component");
  gate = insertComponent(
    db,
    {
      kind: "app.process",
      name: "gate",
      site: "",
      sourceId: null,
      hostId: null,
      address: null,
      reason: "",
      keys: ["gate"],
      facts: {},
    },
    AT - 60 * MINUTE_MS,
  );
});

const sender = (version: string, touchedMs = AT - 5000) => ({
  componentId: gate,
  attributes: { "service.name": "gate", "service.version": version },
  touchedMs,
});
const changes = () => changesIn(db, 0, AT + 60 * MINUTE_MS).map((one) => [one.at - AT, one.summary, one.by_whom]);
const version = () => factsAt(db, gate, AT + 59 * MINUTE_MS).find((one) => one.name === "version")?.value;
const TOLD = "gate: version: “1” became “2”";

describe("a release that its own signals tell of", () => {
  it("is a change from when it was first heard, and what the next sweep finds is no second one", () => {
    writeFact(db, gate, "version", "1", AT - 30 * MINUTE_MS);
    const releases = new SentReleases(db, [sender("1"), sender("0", AT - 50 * MINUTE_MS)]);
    releases.heard(sender("2"), AT);
    expect(changes()).toEqual([]);
    releases.heard(sender("2"), AT + MINUTE_MS);
    expect(changes()).toEqual([[0, TOLD, "its own signals"]]);
    expect(version()).toBe("2");
    expect(rollOuts(db, AT - MINUTE_MS, AT + MINUTE_MS)).toEqual([{ componentId: gate, atMs: AT }]);
  });
  it("that a sweep has told already is dated back to its earliest evidence", () => {
    writeFact(db, gate, "version", "1", AT - 30 * MINUTE_MS);
    const releases = new SentReleases(db, [sender("1")]);
    releases.heard(sender("2"), AT);
    writeFact(db, gate, "version", "2", AT + 20_000);
    insertChange(db, { atMs: AT + 20_000, kind: "setting", componentId: gate, summary: TOLD, by: "sweep" });
    releases.heard(sender("2"), AT + MINUTE_MS);
    expect(changes()).toEqual([[0, TOLD, "sweep"]]);
  });
  it("leaves alone what a sweep says in other words, and says nothing of who says no version", () => {
    writeFact(db, gate, "version", "gate 1-3", AT - 30 * MINUTE_MS);
    const releases = new SentReleases(db, [sender("1")]);
    releases.heard(sender("2"), AT);
    releases.heard({ ...sender("2"), attributes: { "service.name": "gate" } }, AT + 30_000);
    releases.heard(sender("2"), AT + MINUTE_MS);
    expect(changes()).toEqual([[0, TOLD, "its own signals"]]);
    expect(version()).toBe("gate 1-3");
  });
  it("is none where nothing was known before", () => {
    const releases = new SentReleases(db, []);
    releases.heard(sender("2"), AT);
    releases.heard(sender("2"), AT + MINUTE_MS);
    expect(changes()).toEqual([]);
  });
});
