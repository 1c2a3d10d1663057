import { z } from "zod";
import { BY_HAND, HAND_RELATIONS, isByHand } from "#core/topology/by-hand";
import { verbOf } from "#core/topology/words";
import { insertChange } from "../store/changes";
import { PersonError, type Db } from "../store/database";
import { componentById, type ComponentRow } from "../store/estate";
import {
  endRelation,
  hideRelations,
  insertRelation,
  relationById,
  relationsOf,
  type RelationRow,
} from "../store/relations";
import { command } from "./command";

const id = z.int().min(1);

function presentComponent(db: Db, one: number): ComponentRow {
  const row = componentById(db, one);
  if (!row || row.valid_to !== null) throw new PersonError("One of the components is not there any more. Look again.");
  return row;
}

function presentRelation(db: Db, one: number): RelationRow {
  const row = relationById(db, one);
  if (!row) throw new PersonError("That relation is not there any more. Look again.");
  return row;
}

const textOf = (db: Db, { from_id, to_id, type }: Pick<RelationRow, "from_id" | "to_id" | "type">): string =>
  `${componentById(db, from_id)?.name ?? from_id} ${verbOf(type)} ${componentById(db, to_id)?.name ?? to_id}`;

/** What people say of relations themselves: what no look sees, and what is seen but means nothing. */
export const relationCommands = {
  "relation.add": command({
    right: "configure",
    input: z.strictObject({
      from: id,
      to: z.int("Choose the other component.").min(1, "Choose the other component."),
      type: z.enum(HAND_RELATIONS, "Choose one of the relations that can be made by hand."),
      detail: z.string().trim().max(80, "At most 80 characters."),
    }),
    about: ({ from }) => ({ type: "component", id: from }),
    run: ({ db, now, onServices }, { from, to, type, detail }, who) => {
      const [source, target] = [presentComponent(db, from), presentComponent(db, to)];
      if (from === to) throw new PersonError("A component has no relation with itself. Choose another one.");
      const atMs = now();
      const known = relationsOf(db, [from], atMs).find(
        (one) => one.type === type && one.from_id === from && one.to_id === to && one.valid_to === null,
      );
      if (known) throw new PersonError(`${source.name} ${verbOf(type)} ${target.name}: that is known already.`);
      const made = db.transaction(() => {
        hideRelations(db, { type, from_id: from, to_id: to }, null);
        const present = relationsOf(db, [from], atMs).find(
          (one) => one.type === type && one.from_id === from && one.to_id === to,
        );
        const seenBy = `${BY_HAND}: ${who.name}`;
        const text = `${source.name} ${verbOf(type)} ${target.name}, as ${who.name} says`;
        insertChange(db, { atMs, kind: "relation", componentId: from, summary: text, by: who.name });
        if (present) return present.id;
        return insertRelation(db, { type, fromId: from, toId: to, detail, connections: 0, seenBy }, atMs);
      })();
      onServices();
      return made;
    },
    record: (_input, made, { db }) =>
      `Added a relation by hand${made === undefined ? "" : `: ${textOf(db, presentRelation(db, made))}`}`,
  }),
  "relation.remove": command({
    right: "configure",
    input: z.strictObject({ id }),
    about: ({ id: one }) => ({ type: "relation", id: one }),
    run: ({ db, now, onServices }, { id: one }, who) => {
      const row = presentRelation(db, one);
      if (!isByHand(row.seen_by))
        throw new PersonError("Nobody made this relation by hand: it is seen, and would come back. Hide it instead.");
      if (row.valid_to !== null) throw new PersonError("That relation was removed already.");
      const atMs = now();
      db.transaction(() => {
        endRelation(db, one, atMs);
        const text = `${textOf(db, row)} no more, as ${who.name} says`;
        insertChange(db, { atMs, kind: "relation", componentId: row.from_id, summary: text, by: who.name });
      })();
      onServices();
    },
    record: ({ id: one }, _output, { db }) =>
      `Removed a relation made by hand: ${textOf(db, presentRelation(db, one))}`,
  }),
  "relation.hide": command({
    right: "configure",
    input: z.strictObject({ id, on: z.boolean() }),
    about: ({ id: one }) => ({ type: "relation", id: one }),
    run: ({ db, now, onServices }, { id: one, on }, who) => {
      const row = presentRelation(db, one);
      const atMs = now();
      db.transaction(() => {
        hideRelations(db, row, on ? { by: who.name, atMs } : null);
        // A change, so that what is kept of the estate as it stands is made anew.
        const summary = `${textOf(db, row)}: ${on ? "hidden" : "shown again"} by ${who.name}`;
        insertChange(db, { atMs, kind: "relation", componentId: row.from_id, summary, by: who.name });
      })();
      onServices();
    },
    record: ({ id: one, on }, _output, { db }) =>
      `${on ? "Hid" : "Showed again"} the relation ${textOf(db, presentRelation(db, one))}`,
  }),
};
