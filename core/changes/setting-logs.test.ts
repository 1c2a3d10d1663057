import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { mayTellOfSettings, settingChangeOf } from "./setting-logs";

describe("settings that logs tell of", () => {
  it.each([
    ["setting max-connections changed from 200 to 10 by j.quill", ["max-connections", "200", "10", "j.quill"]],
    ["Setting pool.size was changed from 40 to 8.", ["pool.size", "40", "8", undefined]],
    // How PostgreSQL writes it when it reads its configuration anew (documented message of the server's log).
    ['parameter "work_mem" changed to "64MB"', ["work_mem", undefined, "64MB", undefined]],
    ["option 'log level' set to debug", undefined],
    [
      "configuration key cache/ttl updated from '5 min' to '1 h' by user ops@halvane",
      ["cache/ttl", "5 min", "1 h", "ops@halvane"],
    ],
    [
      "2026-03-17 INFO config limits.memory has been set to 256MiB, by deploy",
      ["limits.memory", undefined, "256MiB", "deploy"],
    ],
    ["setting a changed from 1 to 1", undefined],
    ["The weather changed to rain", undefined],
    ["connection settings changed", undefined],
    ["setting changed to 5", undefined],
    ['LOG:  parameter "work_mem" changed to "64MB"', ["work_mem", undefined, "64MB", undefined]],
    // What people type into forms and addresses stands in logs too.
    ['127.0.0.1 "GET /?q=setting pool changed to 1 by root" 200', undefined],
    ["haulier says: setting pool changed to 1 by root", undefined],
  ])("%s", (text, expected) => {
    const read = settingChangeOf(text);
    expect(read && [read.setting, read.before, read.after, read.who]).toEqual(expected);
  });
  it("are read from fields first, whatever the text says", () => {
    const fields = { "config.key": "queue.limit", old: 100, new: 20, "user.name": "mara" };
    expect(settingChangeOf("configuration updated", fields)).toEqual({
      setting: "queue.limit",
      before: "100",
      after: "20",
      who: "mara",
    });
    expect(settingChangeOf("x", { setting: "a", old: "1", new: "1" })).toBeUndefined();
    expect(settingChangeOf("setting a changed to 2", { user: "bo" })?.who).toBe("bo");
  });
  it("are never looked for in long texts, and texts that almost fit are read to their end", () => {
    expect(settingChangeOf(`setting a changed to ${"x".repeat(3000)}`)).toBeUndefined();
    for (const unit of ["setting ", "a changed ", "from to ", '"', "setting a set from b "])
      expect(settingChangeOf(unit.repeat(Math.floor(1900 / unit.length)))).toBeUndefined();
  });
  it("whatever is read back is what was written", () => {
    const word = fc.stringMatching(/^[a-z][a-z0-9.-]{0,20}[a-z0-9]$/);
    fc.assert(
      fc.property(word, word, word, word, (setting, before, after, who) => {
        const text = `setting ${setting} changed from ${before} to ${after} by ${who}`;
        expect(mayTellOfSettings(text)).toBe(true);
        expect(settingChangeOf(text)).toEqual(before === after ? undefined : { setting, before, after, who });
      }),
    );
  });
});
