import { beforeEach, expect, it } from "vitest";
import { readRule } from "#core/detection/rule";
import { HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { emptyEstate, useStore } from "../../tests/store";
import { saveRule } from "../store/alarms";
import type { Db } from "../store/database";
import { findingsIn } from "../store/findings";
import { LogWriter } from "../store/log-writer";
import { AlarmBook } from "./alarm-book";
import { LogJudge, type LogContext } from "./log-judge";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
beforeEach(() => {
  emptyEstate(db);
  db.exec(
    "DELETE FROM alarm; DELETE FROM odd_finding; DELETE FROM rule; DELETE FROM log; DELETE FROM log_tally; DELETE FROM log_pattern; DELETE FROM resource",
  );
  db.prepare("INSERT INTO resource (id, attributes, matched_by, first_at, last_at) VALUES (1, '{}', '', 0, 0)").run();
});
const CONTEXT: LogContext = {
  kindOf: () => "app.process",
  isWatched: () => true,
  serviceUid: () => undefined,
  servicesOf: () => [],
  componentOf: () => 7,
};

it("tells of a pattern in the words of its newest record, so that addresses in it stand there", () => {
  const read = readRule({
    name: "New",
    type: "logs",
    scope: "kind:*",
    condition: "new",
    level: "17",
    minutes: "10",
    as: "finding",
  });
  if (!read.ok) throw new Error(JSON.stringify(read.fields));
  saveRule(db, undefined, { ...read.rule, enabled: true });
  const writer = new LogWriter(db);
  const say = (atMs: number, body: string, severity = 17) =>
    writer.write([{ resourceId: 1, atMs, severity, body, attributes: null, traceId: null, spanId: null }]);
  say(AT - 2 * HOUR_MS, "all is well", 9);
  say(AT - 2 * MINUTE_MS, "store at 127.20.1.14 did not answer within 2500 ms");
  say(AT - MINUTE_MS, "store at 127.20.2.13 did not answer within 2600 ms");
  db.transaction(() => new LogJudge(db, {} as AlarmBook, CONTEXT).evaluate(AT))();
  expect(findingsIn(db, AT - HOUR_MS, AT, 9).map((one) => one.text)).toEqual([
    "New error, 2 times: store at 127.20.2.13 did not answer within 2600 ms",
  ]);
});

it("ends what stands of a component that a rule is not about any more, or in other words than before", () => {
  const given = { name: "Refused", type: "logs", scope: "kind:*", condition: "atLeast", count: "2", level: "17" };
  const ruled = (words: string) => readRule({ ...given, words, minutes: "10", severity: "major", as: "alarm" });
  const read = ruled("refused");
  if (!read.ok) throw new Error(JSON.stringify(read.fields));
  const id = saveRule(db, undefined, { ...read.rule, enabled: true });
  const writer = new LogWriter(db);
  for (const seconds of [90, 60, 30])
    writer.write([
      {
        resourceId: 1,
        atMs: AT - seconds * 1000,
        severity: 17,
        body: "order refused by the desk",
        attributes: null,
        traceId: null,
        spanId: null,
      },
    ]);
  let watched = true;
  const book = new AlarmBook(db);
  const judge = new LogJudge(db, book, { ...CONTEXT, isWatched: () => watched });
  const said = (atMs: number) =>
    db
      .transaction(() => judge.evaluate(atMs))()
      .map((one) => one.what);
  expect(said(AT)).toEqual(["raised"]);
  // Another judge, as after a restart, knows of it.
  judge.loadRules();
  expect(said(AT + MINUTE_MS)).toEqual([]);
  watched = false;
  expect(said(AT + 2 * MINUTE_MS)).toEqual(["cleared"]);
  watched = true;
  expect(said(AT + 3 * MINUTE_MS)).toEqual(["raised"]);
  const other = ruled("order refused");
  if (!other.ok) throw new Error(JSON.stringify(other.fields));
  saveRule(db, id, { ...other.rule, enabled: true });
  judge.loadRules();
  expect(said(AT + 4 * MINUTE_MS).sort()).toEqual(["cleared", "raised"]);
});
