import { fillText } from "#core/repair/fill";
import type { SqlStep } from "#core/repair/steps/sql";
import pg from "pg";
import { credentialNamed } from "../../store/credentials";
import { kindOfCredential } from "../../vault/kinds";
import { placeOf as placeAt } from "../../vault/reach";
import { mayBeUsedAt } from "../../vault/vault";
import type { TakeStep } from "./taker";

const MOST_PRINTED_ROWS = 50;

/**
 * One statement in a transaction: more rows than it may touch, a check that does not hold, a time-out or a lost line and
 * it is taken back. What is bound goes by the extended protocol and is never a part of the statement.
 */
export const takeSql: TakeStep<SqlStep> = async (step, context) => {
  const { world, target, words, signal, runbook } = context;
  const { db, now } = world;
  const address = placeAt(db, target, now())?.address;
  if (!address) return `${target.name} has no address to connect to.`;
  const credential = credentialNamed(db, step.credential);
  if (!credential) return `There is no credential “${step.credential}”.`;
  if (kindOfCredential(credential.kind)?.serves !== "database") return `${credential.name} is not for databases.`;
  if (!mayBeUsedAt(credential, address))
    return `${credential.name} is not for ${address}. Add it to its destinations first.`;
  const purpose = `“${runbook}” on ${target.name}`;
  const { fields } = world.vault.use(credential, purpose);
  context.keepSecret([fields.password]);
  const bound = step.bind.map((one) => fillText(one, words));
  context.note({ command: `${step.statement.trim()}${bound.length ? `   with ${JSON.stringify(bound)}` : ""}` });
  const timeoutMs = world.machineMs(step.timeoutSeconds * 1000) + 3000;
  const client = new pg.Client({
    host: address,
    port: step.port,
    database: step.database,
    user: fields.user ?? "",
    password: fields.password ?? "",
    connectionTimeoutMillis: Math.min(10_000, timeoutMs),
    query_timeout: timeoutMs,
    statement_timeout: timeoutMs,
    application_name: "holotaxis",
  });
  client.on("error", () => undefined);
  const cut = () => void client.end().catch(() => undefined);
  signal.addEventListener("abort", cut);
  try {
    await client.connect();
    await client.query("BEGIN");
    const result = await client.query(onlyOne(step.statement, bound));
    const rows = result.rowCount ?? 0;
    context.note({ exitCode: rows });
    if (result.rows.length) context.print(`${rowsText(result.rows.slice(0, MOST_PRINTED_ROWS))}\n`);
    if (rows > step.mostRows) {
      await client.query("ROLLBACK");
      return `It touched ${rows} rows, more than ${step.mostRows}, and was taken back.`;
    }
    if (step.check !== undefined) {
      const check = await client.query<Record<string, unknown>>(onlyOne(step.check, []));
      const [first] = Object.values(check.rows[0] ?? {});
      context.print(`${step.check.trim()}: ${String(first)}\n`);
      if (first !== true) {
        await client.query("ROLLBACK");
        return "The check does not hold, so it was taken back.";
      }
    }
    await client.query("COMMIT");
    context.print(`${rows} ${rows === 1 ? "row" : "rows"}, kept.\n`);
    world.vault.note(credential.id, purpose, null);
    return undefined;
  } catch (error) {
    const message = error instanceof Error ? error.message : String(error);
    world.vault.note(credential.id, purpose, message);
    return `The database says: ${message}. Nothing was kept.`;
  } finally {
    signal.removeEventListener("abort", cut);
    await client.end().catch(() => undefined);
  }
};

/** By the extended protocol the server takes one statement and no more, also where nothing is bound. */
const onlyOne = (text: string, values: string[]): pg.QueryConfig =>
  ({ text, values, queryMode: "extended" }) as pg.QueryConfig;

const rowsText = (rows: readonly object[]) => rows.map((row) => JSON.stringify(row)).join("\n");
