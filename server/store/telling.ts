import type { Occasion } from "#core/telling/ready-messages";
import type { TellingRule } from "#core/telling/rule";
import type { MessageTemplate } from "#core/telling/template";
import { prepared, type Db } from "./database";

// --- rules

type Definition = Omit<TellingRule, "id" | "name" | "sinceMs">;

export const listTellingRules = (db: Db): TellingRule[] =>
  prepared<{ id: number; name: string; definition: string; since: number }>(
    db,
    "SELECT id, name, definition, since FROM telling_rule ORDER BY name",
  )
    .all()
    .map(({ id, name, definition, since }) => ({
      ...(JSON.parse(definition) as Definition),
      id,
      name,
      sinceMs: since,
    }));

export const tellingRuleById = (db: Db, id: number): TellingRule | undefined =>
  listTellingRules(db).find((one) => one.id === id);

/** @returns its id */
export function saveTellingRule(
  db: Db,
  id: number | undefined,
  { name, sinceMs, ...definition }: Omit<TellingRule, "id">,
  by: string,
): number {
  const values = [name, JSON.stringify(definition), sinceMs, by] as const;
  if (id === undefined)
    return Number(
      prepared(db, "INSERT INTO telling_rule (name, definition, since, changed_by) VALUES (?, ?, ?, ?)").run(...values)
        .lastInsertRowid,
    );
  prepared(db, "UPDATE telling_rule SET name = ?, definition = ?, since = ?, changed_by = ? WHERE id = ?").run(
    ...values,
    id,
  );
  return id;
}

export function removeTellingRule(db: Db, id: number): void {
  prepared(db, "DELETE FROM telling_rule WHERE id = ?").run(id);
}

// --- templates

/** What people wrote, by occasion; what is not there is the ready message. */
export const writtenTemplates = (db: Db): Map<Occasion, MessageTemplate & { changedBy: string }> =>
  new Map(
    prepared<MessageTemplate & { moment: Occasion; changedBy: string }>(
      db,
      "SELECT moment, subject, plain, rich, headers, changed_by AS changedBy FROM message_template",
    )
      .all()
      .map(({ moment, ...template }) => [moment, template]),
  );

export function writeTemplate(db: Db, moment: string, template: MessageTemplate, by: string, atMs: number): void {
  prepared(
    db,
    `INSERT INTO message_template (moment, subject, plain, rich, headers, changed_at, changed_by)
     VALUES (:moment, :subject, :plain, :rich, :headers, :at, :by)
     ON CONFLICT (moment) DO UPDATE SET subject = excluded.subject, plain = excluded.plain, rich = excluded.rich,
       headers = excluded.headers, changed_at = excluded.changed_at, changed_by = excluded.changed_by`,
  ).run({ moment, ...template, at: atMs, by });
}

/** Back to the ready message. */
export function forgetTemplate(db: Db, moment: string): void {
  prepared(db, "DELETE FROM message_template WHERE moment = ?").run(moment);
}
