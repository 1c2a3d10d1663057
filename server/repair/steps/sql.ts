import { fillText } from "#core/repair/fill";
import { boundIn, type SqlStep } from "#core/repair/steps/sql";
import pg from "pg";
import { credentialNamed } from "../../store/credentials";
import { kindOfCredential } from "../../vault/kinds";
import { placeOf as placeAt } from "../../vault/reach";
import { mayBeUsedAt } from "../../vault/vault";
import type { StepContext, TakeStep } from "./taker";

const MOST_PRINTED_ROWS = 50;
/** So long a dry run waits for what a database counts, at most, machine time. */
const COUNT_TIMEOUT_MS = 5000;

type Where = Pick<StepContext, "world" | "target" | "words" | "signal" | "runbook" | "keepSecret">;

/** A sentence that says why something was not done. */
class Refused extends Error {
  /** @param saysKept the sentence says what became of the rows */
  constructor(
    message: string,
    readonly saysKept = true,
  ) {
    super(message);
  }
}

/** Connects to a step's database with its credential, and leaves it whatever happens. Throws Refused with a sentence. */
async function withDatabase<T>(
  step: SqlStep,
  { world, target, signal, runbook, keepSecret }: Where,
  timeoutMs: number,
  use: (client: pg.Client) => Promise<T>,
): Promise<T> {
  const { db, now } = world;
  const address = placeAt(db, target, now())?.address;
  if (!address) throw new Refused(`${target.name} has no address to connect to.`);
  const credential = credentialNamed(db, step.credential);
  if (!credential) throw new Refused(`There is no credential “${step.credential}”.`);
  if (kindOfCredential(credential.kind)?.serves !== "database")
    throw new Refused(`${credential.name} is not for databases.`);
  if (!mayBeUsedAt(credential, address))
    throw new Refused(`${credential.name} is not for ${address}. Add it to its destinations first.`);
  const purpose = `“${runbook}” on ${target.name}`;
  const { fields } = world.vault.use(credential, purpose);
  keepSecret([fields.password]);
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
    const done = await use(client);
    world.vault.note(credential.id, purpose, null);
    return done;
  } catch (error) {
    if (error instanceof Refused) throw error;
    const message = error instanceof Error ? error.message : String(error);
    world.vault.note(credential.id, purpose, message);
    throw new Refused(`The database says: ${message}.`, false);
  } finally {
    signal.removeEventListener("abort", cut);
    await client.end().catch(() => undefined);
  }
}

/**
 * One statement in a transaction: more rows than it may touch, a check that does not hold, a time-out or a lost line and
 * it is taken back. In portions each is a transaction of its own. What is bound goes by the extended protocol and is never
 * a part of the statement.
 */
export const takeSql: TakeStep<SqlStep> = async (step, context) => {
  const bound = step.bind.map((one) => fillText(one, context.words));
  context.note({ command: `${step.statement.trim()}${bound.length ? `   with ${JSON.stringify(bound)}` : ""}` });
  const timeoutMs = context.world.machineMs(step.timeoutSeconds * 1000) + 3000;
  let kept = 0;
  let portions = 0;
  try {
    await withDatabase(step, context, timeoutMs, async (client) => {
      if (step.count !== undefined) {
        const counted = await count(client, step, bound);
        context.print(`${step.count.trim()}: ${counted}\n`);
        if (counted > step.mostCounted)
          throw new Refused(`${counted} rows were counted, more than ${step.mostCounted}, so nothing was done.`);
        if (counted === 0) return context.print("There is nothing to do.\n");
      }
      const most = step.portions ?? 1;
      while (portions < most) {
        const rows = await portion(client, step, bound, context);
        portions++;
        kept += rows;
        context.note({ exitCode: rows });
        if (rows === 0 || most === 1) break;
        if (step.pauseSeconds > 0 && portions < most)
          await context.world.sleep(step.pauseSeconds * 1000, context.signal);
        if (context.signal.aborted) throw new Refused("It was stopped between two portions.");
      }
      context.print(`${kept} ${kept === 1 ? "row" : "rows"}${most > 1 ? ` in ${portions} portions` : ""}, kept.\n`);
    });
    return undefined;
  } catch (error) {
    if (!(error instanceof Refused)) throw error;
    if (kept > 0) return `${error.message} ${kept} rows of ${portions} portions before are kept.`;
    return error.saysKept ? error.message : `${error.message} Nothing was kept.`;
  }
};

/** @returns rows touched and kept */
async function portion(client: pg.Client, step: SqlStep, bound: string[], context: StepContext): Promise<number> {
  await client.query("BEGIN");
  const result = await client.query(onlyOne(step.statement, bound));
  const rows = result.rowCount ?? 0;
  if (result.rows.length) context.print(`${rowsText(result.rows.slice(0, MOST_PRINTED_ROWS))}\n`);
  if (rows > step.mostRows) {
    await client.query("ROLLBACK");
    throw new Refused(`It touched ${rows} rows, more than ${step.mostRows}, and was taken back.`);
  }
  if (step.check !== undefined) {
    const check = await client.query<Record<string, unknown>>(onlyOne(step.check, []));
    const [first] = Object.values(check.rows[0] ?? {});
    context.print(`${step.check.trim()}: ${String(first)}\n`);
    if (first !== true) {
      await client.query("ROLLBACK");
      throw new Refused("The check does not hold, so it was taken back.");
    }
  }
  await client.query("COMMIT");
  return rows;
}

async function count(client: pg.Client, step: SqlStep, bound: string[]): Promise<number> {
  const text = step.count ?? "";
  const result = await client.query<Record<string, unknown>>(onlyOne(text, boundIn(text, bound)));
  const value = Number(Object.values(result.rows[0] ?? {})[0]);
  if (!Number.isFinite(value)) throw new Refused(`“${text.trim()}” gives no number.`);
  return value;
}

/** What a statement would be about, counted now by a transaction that cannot write: a sentence. */
export async function countRows(step: SqlStep, where: Where): Promise<string> {
  const bound = step.bind.map((one) => fillText(one, where.words));
  try {
    return await withDatabase(step, where, COUNT_TIMEOUT_MS, async (client) => {
      await client.query("BEGIN READ ONLY");
      const counted = await count(client, step, bound);
      await client.query("ROLLBACK");
      return `${counted} ${counted === 1 ? "row" : "rows"} now${counted > step.mostCounted ? `, more than ${step.mostCounted}: it would do nothing` : ""}`;
    });
  } catch (error) {
    if (error instanceof Refused) return error.message;
    throw error;
  }
}

/** By the extended protocol the server takes one statement and no more, also where nothing is bound. */
const onlyOne = (text: string, values: string[]): pg.QueryConfig =>
  ({ text, values, queryMode: "extended" }) as pg.QueryConfig;

const rowsText = (rows: readonly object[]) => rows.map((row) => JSON.stringify(row)).join("\n");
