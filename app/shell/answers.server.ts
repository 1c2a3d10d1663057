import { data, type AppLoadContext } from "react-router";
import type { z } from "zod";
import type { CommandInput, CommandName, CommandOutput } from "#server/commands/registry";
import type { PersonError } from "#server/store/database";

/** What an action answers when a person has to put something right. */
export interface Refusal {
  ok: false;
  problem: string;
  fields?: Readonly<Record<string, string>>;
}

export const refuse = (problem: string, fields?: Readonly<Record<string, string>>) =>
  data({ ok: false, problem, ...(fields ? { fields } : {}) } satisfies Refusal, { status: 400 });

/** The fields of a form as it was sent; throws a 400 with a sentence where it is none. */
export async function formOf(request: Request): Promise<FormData> {
  try {
    const given = await request.formData();
    // Files are read by the page itself; none is sent in a form.
    const files = Array.from(given).flatMap(([name, value]) => (typeof value === "string" ? [] : [name]));
    for (const name of files) given.delete(name);
    return given;
  } catch {
    throw new Response("What was sent cannot be read as a form. Load the page again and send it once more.", {
      status: 400,
    });
  }
}

/** Reads a form by a schema; the result is its values, or a refusal that names each wrong field. */
export function readForm<Schema extends z.ZodType>(
  form: FormData,
  schema: Schema,
): { ok: true; value: z.output<Schema> } | { ok: false; refusal: ReturnType<typeof refuse> } {
  const parsed = schema.safeParse(
    Object.fromEntries([...form].map(([name, value]) => [name, typeof value === "string" ? value : ""])),
  );
  if (parsed.success) return { ok: true, value: parsed.data };
  const fields: Record<string, string> = {};
  for (const issue of parsed.error.issues) fields[issue.path.join(".") || "form"] ??= issue.message;
  return { ok: false, refusal: refuse(Object.values(fields)[0] ?? "Something in the form is not right.", fields) };
}

/** Does something that may be refused with a sentence; then the sentence comes back as a refusal. */
export async function attempt<T>(
  work: () => Promise<T>,
): Promise<{ ok: true; value: T } | { ok: false; refusal: ReturnType<typeof refuse> }> {
  try {
    return { ok: true, value: await work() };
  } catch (error) {
    if (!(error instanceof Error) || error.name !== "PersonError") throw error;
    return { ok: false, refusal: refuse(error.message, (error as PersonError).fields) };
  }
}

/** Has a command carried out for whoever asks; where it is refused, the sentences come back as a refusal. */
export const act = <Name extends CommandName>(
  context: Pick<AppLoadContext, "command">,
  name: Name,
  input: CommandInput<Name>,
): Promise<{ ok: true; value: CommandOutput<Name> } | { ok: false; refusal: ReturnType<typeof refuse> }> =>
  attempt(() => context.command(name, input));

/** A number from an address, or a 404 with a sentence. */
export function idFrom(text: string | undefined, what: string): number {
  const id = Number(text);
  if (!Number.isSafeInteger(id) || id < 1) throw missing(what, text);
  return id;
}

export function missing(what: string, id: string | number | undefined): Response {
  return new Response(
    `There is no ${what} “${String(id ?? "").slice(0, 40)}”. It may have been mistyped; look for it with Ctrl+K.`,
    { status: 404 },
  );
}
