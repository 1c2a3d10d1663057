import { z } from "zod";
import { readRunbook } from "#core/repair/text";
import { PersonError, type Db } from "../store/database";
import { listPolicies } from "../store/policies";
import {
  addVersion,
  listRunbooks,
  runbookById,
  runbookByUid,
  setRetired,
  setVersionState,
  versionsOf,
} from "../store/runbooks";
import { command } from "./command";

const id = z.number().int().min(1);

function mustExist(db: Db, one: number) {
  const runbook = runbookById(db, one);
  if (!runbook) throw new PersonError("That runbook does not exist.");
  return runbook;
}

/** Runbooks are written as drafts and approved by a second person; versions are kept for ever. */
export const runbookCommands = {
  "runbook.save": command({
    right: "configure",
    about: ({ id: one }) => ({ type: "runbook", ...(one === undefined ? {} : { id: one }) }),
    input: z.strictObject({
      id: id.optional(),
      text: z.string().max(200_000),
      remark: z.string().trim().max(300).default(""),
    }),
    run: ({ db, now }, input, who) => {
      const read = readRunbook(input.text);
      if (!read.ok) {
        const [first] = read.problems;
        throw new PersonError(
          first ? `${first.line ? `Line ${first.line}: ` : ""}${first.message}` : "This is no runbook.",
        );
      }
      const { runbook } = read;
      const known = input.id === undefined ? undefined : mustExist(db, input.id);
      if (known && known.uid !== runbook.uid)
        throw new PersonError(`The short name of a runbook stays: write uid: ${known.uid}, or save it as a new one.`);
      if (!known && runbookByUid(db, runbook.uid))
        throw new PersonError(`There is a runbook ${runbook.uid} already. Open it to write a new version.`);
      const other = listRunbooks(db).find((one) => one.name === runbook.name && one.uid !== runbook.uid);
      if (other) throw new PersonError(`Another runbook is called “${runbook.name}”. Give this one a name of its own.`);
      const last = known && versionsOf(db, known.id)[0];
      if (last && JSON.stringify(last.definition) === JSON.stringify(runbook))
        throw new PersonError(`Nothing was changed since version ${last.version}.`);
      return db.transaction(() =>
        addVersion(db, runbook, { state: "draft", remark: input.remark, by: who.name, atMs: now() }),
      )();
    },
    record: (_input, output, { db }) =>
      `Wrote version ${output?.version ?? ""} of the runbook “${output ? runbookById(db, output.id)?.name : ""}”`,
  }),
  "runbook.approve": command({
    right: "configure",
    about: ({ id: one }) => ({ type: "runbook", id: one }),
    input: z.strictObject({ id, version: id }),
    run: ({ db, now }, input, who) => {
      mustExist(db, input.id);
      const version = versionsOf(db, input.id).find((one) => one.version === input.version);
      if (!version) throw new PersonError("There is no such version.");
      if (version.state === "approved") throw new PersonError("It is approved already.");
      if (version.made_by === who.name) throw new PersonError("Somebody else than who wrote it approves a version.");
      db.transaction(() => setVersionState(db, input.id, input.version, "approved", who.name, now()))();
    },
    record: (input, _output, { db }) =>
      `Approved version ${input.version} of the runbook “${runbookById(db, input.id)?.name}”`,
  }),
  "runbook.retire": command({
    right: "configure",
    about: ({ id: one }) => ({ type: "runbook", id: one }),
    input: z.strictObject({ id, isRetired: z.boolean() }),
    run: ({ db, now }, input) => {
      const { uid, name } = mustExist(db, input.id);
      const user = listPolicies(db).find((one) => one.definition.isOn && one.definition.runbook === uid);
      if (input.isRetired && user)
        throw new PersonError(`The policy “${user.definition.name}” runs “${name}”. Turn it off first.`);
      db.transaction(() => setRetired(db, input.id, input.isRetired, now()))();
    },
    record: (input, _output, { db }) =>
      `${input.isRetired ? "Retired" : "Took up again"} the runbook “${runbookById(db, input.id)?.name}”`,
  }),
};
