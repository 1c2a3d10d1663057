import { beforeEach, describe, expect, it } from "vitest";
import { MINUTE_MS } from "#core/time/windows";
import { useStore } from "../../tests/store";
import { changesIn } from "../store/changes";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { SettingLogs } from "./setting-logs";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
let store: number;
let logs: SettingLogs;
beforeEach(() => {
  db.exec("DELETE FROM change; DELETE FROM setting_value; DELETE FROM component_key; DELETE FROM component");
  store = insertComponent(
    db,
    {
      kind: "db.relational",
      name: "store",
      site: "",
      sourceId: null,
      hostId: null,
      address: null,
      reason: "",
      keys: ["store"],
      facts: {},
    },
    AT - MINUTE_MS,
  );
  logs = new SettingLogs(db);
});

/** Resource 1 is the store's, others belong to nobody. */
const say = (body: string, { attributes = null as string | null, atMs = AT, resourceId = 1 } = {}) =>
  logs.take(
    [{ atMs, severity: 9, resourceId, body, attributes, traceId: null, spanId: null }],
    (id) => (id === 1 ? store : null),
    AT + MINUTE_MS,
  );
const changes = () => changesIn(db, 0, AT + 10 * MINUTE_MS).map((one) => [one.summary, one.by_whom]);

describe("configuration logs", () => {
  it("make changes of a setting, with the value before where either log or memory knows it", () => {
    say("setting max-connections changed from 200 to 10 by j.quill");
    expect(changes()).toEqual([["store: max-connections “200” became “10”", "j.quill"]]);
    say('parameter "max-connections" changed to "150"', { atMs: AT + 1000 });
    expect(changes()[0]).toEqual(["store: max-connections “10” became “150”", "its log"]);
  });
  it("that say a thing again, come late, or are nobody's make none", () => {
    say('parameter "a" changed to "1"');
    say('parameter "a" changed to "1"', { atMs: AT + 1 });
    say('parameter "a" changed to "2"', { atMs: AT - 1000 });
    say('parameter "a" changed to "3"', { resourceId: 2 });
    say("everything changed for the better");
    expect(changes()).toEqual([["store: a is now “1”", "its log"]]);
  });
  it("are read by their fields; fields that are no JSON change nothing", () => {
    say("updated", { attributes: '{"setting":"ttl","before":5,"after":60,"user":"mara"}' });
    say("updated", { attributes: '{"setting' });
    expect(changes()).toEqual([["store: ttl “5” became “60”", "mara"]]);
  });
  it("that write out very many are told of in one line", () => {
    for (let index = 0; index < 60; index++) say(`setting s${index} set to ${index}`);
    expect(changes()).toHaveLength(21);
    expect(changes().map(([summary]) => summary)).toContain("store: further settings were changed in the same minute");
    say("setting s99 set to 1", { atMs: AT + MINUTE_MS });
    expect(changes()).toHaveLength(22);
  });
});
