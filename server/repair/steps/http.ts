import { holds } from "#core/repair/expression";
import { takenOut } from "#core/repair/json-path";
import { addressProblem, fillAddress, fillBody, type HttpStep } from "#core/repair/steps/http";
import { fetchText, OutsideFailure } from "../../outside/fetch-text";
import { credentialNamed } from "../../store/credentials";
import { kindOfCredential } from "../../vault/kinds";
import { mayBeUsedAt } from "../../vault/vault";
import { scopeOf } from "../figures";
import type { StepContext, TakeStep } from "./taker";

const MOST_BYTES = 256 * 1024;
const MOST_PRINTED = 8_000;

export const takeHttp: TakeStep<HttpStep> = async (step, context) => {
  const { world, words, signal } = context;
  const problem = addressProblem(step.url, words);
  if (problem !== undefined) return problem;
  const url = fillAddress(step.url, words);
  const body = step.body === undefined ? undefined : JSON.stringify(fillBody(step.body, words));
  context.note({ command: `${step.method} ${url}${body === undefined ? "" : ` ${body}`}` });
  const access = accessFor(step, url, context);
  if ("problem" in access) return access.problem;
  let answer: { status: number; text: string };
  try {
    answer = await fetchText(
      url,
      { timeoutMs: world.machineMs(step.timeoutSeconds * 1000) + 3000, mostBytes: MOST_BYTES },
      {
        method: step.method,
        headers: { accept: "application/json", ...(body === undefined ? {} : { "content-type": "application/json" }) },
        ...(body === undefined ? {} : { body }),
        ...(access.access ? { access: access.access } : {}),
        signal,
      },
    );
  } catch (error) {
    if (error instanceof OutsideFailure) return error.message;
    throw error;
  }
  context.note({ exitCode: answer.status });
  context.print(answer.text.slice(0, MOST_PRINTED));
  if (!step.accept.includes(answer.status)) return `It answered with status ${answer.status}.`;
  const read = jsonOf(answer.text);
  if (step.expect !== undefined) {
    const scope = { ...scopeOf(context), answer: { status: answer.status, body: read } };
    if (!holds(step.expect, scope)) return `${step.expect} does not hold of the answer.`;
  }
  const taken: Record<string, unknown> = {};
  for (const [name, query] of Object.entries(step.take ?? {})) {
    const value = takenOut(query, read);
    if (value === undefined) return `The answer has nothing at ${query}.`;
    taken[name] = value;
  }
  context.keep(taken);
  return undefined;
};

/** The credential of a call, only for an address it is meant for. */
function accessFor(step: HttpStep, url: string, { world, runbook, keepSecret }: StepContext) {
  if (step.credential === undefined) return { access: undefined };
  const { hostname } = new URL(url);
  const credential = credentialNamed(world.db, step.credential);
  if (!credential) return { problem: `There is no credential “${step.credential}”.` };
  if (kindOfCredential(credential.kind)?.serves !== "http") return { problem: `${credential.name} is not for HTTP.` };
  if (!mayBeUsedAt(credential, hostname))
    return { problem: `${credential.name} is not for ${hostname}. Add it to its destinations first.` };
  const access = world.vault.use(credential, `“${runbook}” at ${hostname}`);
  const { user: _user, ...secrets } = access.fields;
  keepSecret(Object.values(secrets));
  return { access };
}

function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text) as unknown;
  } catch {
    return text;
  }
}
