import { z } from "zod";
import { severityRank } from "#core/alarms/severity";
import { listRules, updateRule } from "../store/alarms";
import { insertChange } from "../store/changes";
import { PersonError } from "../store/database";
import { removeQuery, savedQueries, saveQuery } from "../store/saved-queries";
import { command } from "./command";

const id = z.number().int().min(1);
const limit = z.strictObject({
  severity: z.enum(["critical", "major", "minor", "warning", "indeterminate"]),
  value: z.number(),
});

/** Rules, saved queries and drills. */
export const settingCommands = {
  "rule.save": command({
    right: "configure",
    input: z.strictObject({
      id,
      limits: z.array(limit).min(1, "A rule needs at least one limit. To silence it, switch it off.").max(5),
      samples: z.number().int().min(1).max(60),
      hysteresis: z.number().min(0),
      enabled: z.boolean(),
    }),
    run: ({ db, now, onRules }, input, who) => {
      const name = listRules(db).find((rule) => rule.id === input.id)?.name;
      if (!name) throw new PersonError("That rule does not exist.");
      const limits = [...input.limits].sort((a, b) => severityRank(b.severity) - severityRank(a.severity));
      db.transaction(() => {
        updateRule(db, input.id, limits, input.samples, input.hysteresis, input.enabled);
        insertChange(db, {
          atMs: now(),
          kind: "setting",
          componentId: null,
          summary: `Rule “${name}” was changed`,
          by: who.name,
        });
      })();
      onRules();
    },
    record: (input, _output, { db }) =>
      `Changed rule “${listRules(db).find((rule) => rule.id === input.id)?.name ?? input.id}”${input.enabled ? "" : ", switched off"}`,
  }),
  "query.save": command({
    right: "operate",
    input: z.strictObject({
      name: z.string().trim().min(1, "Give the query a name.").max(80),
      sql: z.string().trim().min(1).max(10_000),
    }),
    run: ({ db, now }, input, who) => saveQuery(db, input.name, input.sql, who.name, now()),
    record: (input) => `Saved query “${input.name}”`,
  }),
  "query.remove": command({
    right: "operate",
    input: z.strictObject({ id }),
    run: ({ db }, input) => {
      const name = savedQueries(db).find((one) => one.id === input.id)?.name;
      if (!name) throw new PersonError("That query is not there any more.");
      removeQuery(db, input.id);
      return name;
    },
    record: (input, name) => `Removed query “${name ?? input.id}”`,
  }),
  "drill.act": command({
    right: "operate",
    input: z.strictObject({ id: z.string().max(80), action: z.enum(["start", "stop"]) }),
    run: async ({ drills }, input) => {
      if (!drills) throw new PersonError("Drills need the stand-in estate; this installation watches a real one.");
      const problem = await drills.act(input.id, input.action);
      if (problem) throw new PersonError(problem);
    },
    record: (input) => `${input.action === "start" ? "Started" : "Stopped"} drill ${input.id}`,
  }),
};
